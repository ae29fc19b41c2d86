<script lang="ts">
  import { marked, t } from '../lib/words';
  import type { Progress } from '../lib/api';
  import { level } from '../lib/format';
  import { taking } from '../lib/taking.svelte';
  import Button from './Button.svelte';
  import LevelLine from './LevelLine.svelte';

  /** A take that is running: how long, how loud, and how well the level is known by now. */
  interface Props {
    progress: Progress;
  }
  let { progress }: Props = $props();
  const left = $derived(Math.max(0, progress.seconds - progress.done_s));
  const steady = $derived(progress.steady ?? null);
</script>

<Button onclick={() => void taking.stopTake()}>Stop the take</Button>
<span class="count num" role="timer"
  >{progress.state === 'measuring'
    ? t('measuring')
    : progress.until_steady
      ? `${Math.floor(progress.done_s)} s`
      : t('{left} s left', { left: Math.ceil(left) })}</span
>
{#if progress.until_steady}
  <span class="hint"
    >{steady
      ? t(
          'uncertainty of level ±{active_error_db} and peaks ±{peak_error_db} dB; ends at ±0.5, after 20 s of speech at ±1',
          {
            active_error_db: marked(steady.active_error_db.toFixed(1)),
            peak_error_db: marked(steady.peak_error_db.toFixed(1)),
          },
        )
      : t('keep talking: it ends by itself when your level is known')}</span
  >
{/if}
<LevelLine level={progress.level_dbfs} peak={progress.peak_dbfs} aim={progress.purpose === 'talk'} />
<span class="num">{level(progress.level_dbfs)} dBFS</span>

<style>
  .hint {
    flex: 3 1 150px;
    color: var(--quiet-ink);
    font-size: 13px;
  }
  .count {
    min-width: 76px;
    font-size: 14px;
    font-weight: 700;
  }
</style>
