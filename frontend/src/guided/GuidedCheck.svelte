<script lang="ts">
  import { t } from '../lib/words';
  import type { Overview } from '../lib/api';
  import { place } from '../lib/place.svelte';
  import { desk } from '../lib/state.svelte';
  import { taking } from '../lib/taking.svelte';
  import Button from '../parts/Button.svelte';
  import Key from '../parts/Key.svelte';
  import { ROOM_S } from '../steps/prove/drift';
  import DriftPicture from '../steps/prove/DriftPicture.svelte';
  import Moved from '../steps/prove/Moved.svelte';
  import { TO_READ } from '../steps/tone/passage';
  import LastSeconds from './LastSeconds.svelte';
  import RunFrame from './RunFrame.svelte';
  import { counted } from './stretches';

  /** The run of every day: twenty seconds, and whether anything moved since the calibration. */
  interface Props {
    overview: Overview;
  }
  let { overview }: Props = $props();
  const began = Math.max(0, ...(desk.overview?.takes ?? []).map((take) => take.id));
  const wholeS = $derived(overview.seconds.check ?? 20);
  const running = $derived(desk.progress?.purpose === 'check' ? desk.progress : null);
  const doneS = $derived(running?.done_s ?? 0);
  const found = $derived(overview.checks?.at(-1) ?? null);
  /** What was found since this page was opened; an older check is not what is asked for now. */
  const fresh = $derived(found !== null && found.take_id > began && !running);
  const silent = $derived(doneS < ROOM_S);
  const parts = $derived([
    {
      title: t('Room'),
      now: running !== null && silent,
      share: fresh ? 1 : Math.min(1, doneS / ROOM_S),
      says: fresh ? t('done') : `${ROOM_S} s`,
    },
    {
      title: t('Sentence'),
      now: running !== null && !silent,
      share: fresh ? 1 : Math.max(0, (doneS - ROOM_S) / (wholeS - ROOM_S)),
      says: fresh ? t('done') : `${wholeS - ROOM_S} s`,
    },
  ]);

  function all(): void {
    place.leaf.prove = 'since';
    place.step = 'prove';
  }
</script>

<RunFrame
  title="Check what moved"
  about="{wholeS} s of sound, against the calibration"
  leave="Back to the calibration"
  onleave={() => (place.checking = false)}
  {parts}
>
  {#snippet say()}
    {#if fresh && found}
      <Moved checked={found} newest />
    {:else if running?.state === 'measuring'}
      <h3>Comparing…</h3>
    {:else if silent}
      <h3>Do not talk yet: the room comes first.</h3>
      <p class="soft">Sit as you do when you talk. After that you read the beginning of the passage.</p>
    {:else}
      <h3>Now read, as at the calibration:</h3>
      <p class="passage">{TO_READ}</p>
    {/if}
    {#if running}
      <span class="count num" role="timer" class:busy={running.state === 'measuring'}
        >{silent ? `${Math.ceil(ROOM_S - doneS)} s` : counted(running)}</span
      >
    {/if}
  {/snippet}
  {#snippet picture()}
    {#if fresh && found}
      <DriftPicture checked={found} />
    {:else}
      <LastSeconds progress={running} aim={[overview.rig.aim_low_dbfs, overview.rig.aim_high_dbfs]} />
    {/if}
  {/snippet}
  {#snippet action()}
    {#if running}
      <Button onclick={() => void taking.stopTake()}>Stop</Button><Key does="take" />
    {:else}
      <Button primary={!fresh} disabled={desk.busy} onclick={() => void taking.take('check')}
        >{fresh ? t('Check again') : t('Record a check')}</Button
      ><Key does="take" />
      {#if fresh}
        <Button primary onclick={() => (place.checking = false)}>Back to the calibration</Button>
        <button type="button" class="link" onclick={all}>All that was compared</button>
      {/if}
    {/if}
  {/snippet}
</RunFrame>
