<script lang="ts">
  import { untrack } from 'svelte';
  import type { Overview } from '../../lib/api';
  import BroughtFile from './BroughtFile.svelte';
  import { carried } from './carried.svelte';
  import VersionCompared from './VersionCompared.svelte';
  import VersionList from './VersionList.svelte';

  /** Versions of the calibration, or a file that was brought in and is looked at. */
  interface Props {
    overview: Overview;
  }
  let { overview }: Props = $props();
  const chosen = $derived(overview.versions.find((version) => version.id === carried.chosen));

  const newest = $derived(overview.versions[0]?.id ?? null);

  // What is in force may have changed since the two were compared; at first the newest is looked at.
  $effect(() => {
    const wanted = overview.versions.some((version) => version.id === untrack(() => carried.chosen))
      ? untrack(() => carried.chosen)
      : newest;
    if (overview.revision && wanted !== null) void carried.choose(wanted);
  });
</script>

{#if overview.brought}
  <BroughtFile brought={overview.brought} />
{:else}
  <div class="both">
    <VersionList versions={overview.versions} />
    {#if chosen}
      <VersionCompared version={chosen} compared={carried.compared} />
    {/if}
  </div>
{/if}

<style>
  .both {
    display: grid;
    grid-template-columns: minmax(230px, 1fr) minmax(0, 2fr);
    gap: 24px;
  }
  @media (max-width: 640px) {
    .both {
      grid-template-columns: minmax(0, 1fr);
      height: auto;
    }
  }
</style>
