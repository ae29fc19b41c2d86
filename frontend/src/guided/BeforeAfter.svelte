<script lang="ts">
  import { t } from '../lib/words';
  import { readBeforeAfter, type BeforeAfter, type Overview } from '../lib/api';
  import { proper } from '../lib/format';
  import { playback, type Version } from '../lib/playback.svelte';
  import { desk } from '../lib/state.svelte';
  import Button from '../parts/Button.svelte';
  import Key from '../parts/Key.svelte';
  import { pieces } from './before-after';
  import BeforeAfterPicture from './BeforeAfterPicture.svelte';

  /** The person's own passage before and after: heard in turns or one of them, seen, and said in three sentences. */
  interface Props {
    overview: Overview;
    /** The stages of each step that runs, as they are left out from its line. */
    offs: string[][];
    /** Whether it was heard once: then something else is next. */
    heard: boolean;
  }
  let { overview, offs, heard = $bindable() }: Props = $props();
  let shown = $state.raw<BeforeAfter | null>(null);
  let trouble = $state<string | null>(null);
  const revision = $derived(`${overview.takes.at(-1)?.id ?? 0} ${desk.revision}`);
  const playing = $derived(playback.playing === 'raw' || playback.playing === 'treated');
  const VERSIONS: Version[] = ['raw', 'treated'];

  $effect(() => {
    let left = false;
    void revision;
    const without = offs;
    readBeforeAfter()
      .then((found) => {
        if (left) return;
        shown = found;
        trouble = null;
        playback.heardTake = found.take_id;
        void playback.prepareAll(found.take_id, without);
      })
      .catch((error: unknown) => {
        if (!left) trouble = error instanceof Error ? error.message : String(error);
      });
    return () => (left = true);
  });
  $effect(() => () => {
    playback.leaveIn();
    playback.heardTake = null;
  });

  function start(): void {
    heard = true;
    if (playing) playback.stopSound();
    else playback.hearInTurns();
  }

  function choose(version: Version): void {
    heard = true;
    playback.leaveIn();
    playback.hear(version);
  }
</script>

<div class="heard">
  <div class="picture">
    {#if shown}<BeforeAfterPicture {shown} aim={overview.delivery?.aim_peaks_dbfs ?? []} />
    {:else}<p class="soft" role="status">{trouble ?? t('Treating your passage…')}</p>{/if}
  </div>
  <div class="play">
    <Button primary={!heard} disabled={!shown} onclick={start}
      >{playing ? t('■ Stop') : t('▶ Hear before and after')}</Button
    >
    {#each VERSIONS as version (version)}
      <Button
        disabled={!shown}
        pressed={playback.playing === version && !(version === 'treated' && playback.without.length > 0)}
        onclick={() => choose(version)}>{version === 'raw' ? t('Raw') : t('Treated')}</Button
      >
    {/each}
    <Key does="flip" />
    <span class="soft" aria-live="polite"
      >{!playing
        ? t('Equally loud. Switch as often as you like.')
        : playback.without.length
          ? t('Treated, switching without a gap')
          : playback.inTurns
            ? t('In turns, five seconds each')
            : ''}</span
    >
  </div>
  {#if shown}
    <p class="said">
      {#each shown.sentences as sentence (sentence)}
        {#each pieces(proper(sentence)) as piece, k (k)}{#if piece.number}<strong class="num">{piece.text}</strong
            >{:else}{piece.text}{/if}{/each}&ensp;
      {/each}
    </p>
    <p class="soft">Each measured on this passage; what moves, in your room in use.</p>
  {/if}
</div>

<style>
  .heard {
    display: flex;
    flex-direction: column;
    gap: 10px;
    height: 100%;
    min-height: 0;
  }
  .picture {
    flex: 1;
    min-height: 200px;
  }
  .play {
    display: flex;
    flex-wrap: wrap;
    gap: 6px 10px;
    align-items: center;
  }
  .said {
    max-width: 74ch;
    font-size: 17px;
    line-height: 1.45;
  }
  .soft {
    color: var(--quiet-ink);
    font-size: 13px;
  }
</style>
