<script lang="ts">
  import { t } from '../../lib/words';
  import type { Checked } from '../../lib/api';
  import { clock, level } from '../../lib/format';
  import { desk } from '../../lib/state.svelte';
  import Mark from '../../parts/Mark.svelte';
  import MarkerButton from '../../parts/MarkerButton.svelte';
  import { TO_READ } from '../tone/passage';
  import { ROOM_S } from './drift';
  import CheckToCome from './CheckToCome.svelte';
  import DriftPicture from './DriftPicture.svelte';

  /** A check: what moved since the calibration. While it is taken, what to do now. */
  interface Props {
    checks: Checked[];
    shown: Checked | null;
    choose: (takeId: number) => void;
  }
  let { checks, shown, choose }: Props = $props();
  const READINGS = [
    'noise_floor_dbfs_a',
    'between_words_dbfs',
    'active_level_dbfs',
    'peaks_dbfs',
    'snr_db',
    'hum_dbfs',
  ];
  const running = $derived(desk.progress?.purpose === 'check' ? desk.progress : null);
  const silent = $derived(running !== null && running.done_s < ROOM_S);
  const kept = $derived(
    desk.overview?.diagram.find((point) => point.name === 'converter' && point.voice_high_dbfs !== null),
  );
  const rows = $derived(shown?.readings.filter((row) => READINGS.includes(row.name)) ?? []);

  function number(value: number | null, unit: string): string {
    return value === null ? t('none') : `${level(value)} ${unit}`;
  }
</script>

{#if running}
  <div class="now">
    {#if running.state === 'measuring'}
      <p class="big">Comparing…</p>
    {:else if silent}
      <p class="big">Do not talk yet: the room first, {Math.ceil(ROOM_S - running.done_s)} s.</p>
    {:else}
      <p class="big">Now read, as at the calibration:</p>
      <p>{TO_READ}</p>
    {/if}
  </div>
{:else if shown}
  <div class="whole">
    <DriftPicture checked={shown} />
    <dl>
      {#each rows as row (row.name)}
        <div>
          <dt>
            {#if row.moved}<Mark kind="fault" />{/if}
            {row.title}
          </dt>
          <dd class="num">{number(row.then, '').trim()} → <strong>{number(row.now, row.unit)}</strong></dd>
        </div>
      {/each}
      {#each shown.feeds as feed (feed.listener)}
        <div>
          <dt>
            {#if feed.moved}<Mark kind="fault" />{/if}
            {feed.listener}, delay
          </dt>
          <dd class="num" title={feed.found ?? undefined}>
            {number(feed.then_ms, feed.proved ? '' : 'ms').trim()} →
            {#if feed.proved === null}
              not proved since
            {:else if feed.proved}
              <strong>{number(feed.now_ms, 'ms')}</strong>
            {:else}
              <strong>{feed.found}</strong>
            {/if}
          </dd>
        </div>
      {/each}
    </dl>
    {#if shown.feeds.some((feed) => feed.proved === null) && shown === checks[checks.length - 1]}
      <p class="marker"><MarkerButton /></p>
    {/if}
    {#if checks.length > 1}
      <ol aria-label="Checks">
        {#each checks as check (check.take_id)}
          <li>
            <button
              type="button"
              aria-pressed={check.take_id === shown.take_id}
              title={check.causes[0]?.sentence ?? t('Nothing drifted.')}
              onclick={() => choose(check.take_id)}
            >
              <Mark kind={check.drifted ? 'fault' : 'good'} />
              {clock(check.at)}
            </button>
          </li>
        {/each}
      </ol>
    {/if}
  </div>
{:else}
  <div class="whole">
    <p class="soft">
      A check takes twenty seconds: eight of your room, then the beginning of the passage. It shows what drifted since
      the calibration by more than two readings of one sentence differ, why, and what to do.
    </p>
    {#if kept}<CheckToCome {kept} seconds={desk.overview?.seconds.check ?? 20} />{/if}
  </div>
{/if}

<style>
  .whole {
    display: flex;
    flex-direction: column;
    height: 100%;
    min-height: 0;
  }
  dl {
    display: flex;
    flex-wrap: wrap;
    gap: 4px 26px;
    margin-top: 6px;
  }
  .marker {
    display: flex;
    gap: 10px;
    align-items: center;
    margin-top: 8px;
  }
  dt {
    color: var(--quiet-ink);
    font-size: 13px;
  }
  dd {
    margin: 0;
    white-space: nowrap;
  }
  ol {
    display: flex;
    gap: 8px;
    margin: 10px 0 0;
    padding: 0;
    list-style: none;
    overflow-x: auto;
  }
  ol button {
    display: inline-flex;
    gap: 6px;
    align-items: center;
    min-height: 28px;
    border: 1px solid var(--rule);
    border-radius: 2px;
    background: transparent;
    font-size: 13px;
    white-space: nowrap;
    cursor: pointer;
  }
  ol button[aria-pressed='true'] {
    border-color: var(--ink);
  }
  .now {
    max-width: 70ch;
    font-size: 17px;
  }
  .big {
    margin-bottom: 10px;
    font-size: 20px;
    font-weight: 700;
  }
  .soft {
    max-width: 70ch;
    color: var(--quiet-ink);
  }
</style>
