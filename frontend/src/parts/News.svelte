<script lang="ts">
  import type { Overview } from '../lib/api';
  import { type Moment, newsOf } from '../lib/news';
  import { desk } from '../lib/state.svelte';

  /** What happened, told once to whoever hears the page and does not see it. */
  interface Props {
    overview: Overview;
  }
  let { overview }: Props = $props();
  let before: Moment | null = null;
  let said = $state('');
  $effect(() => {
    const now: Moment = { overview, progress: desk.progress };
    const news = before && before.overview.rig.id === overview.rig.id ? newsOf(before, now) : [];
    before = now;
    if (news.length) said = news.join(' ');
  });
</script>

<p class="hidden-text" role="status" aria-label="What happened">{said}</p>
