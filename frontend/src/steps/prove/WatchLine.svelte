<script lang="ts">
  import { counted, t } from '../../lib/words';
  import type { Overview } from '../../lib/api';
  import { mayNotify, notifications } from '../../lib/notify.svelte';
  import { desk } from '../../lib/state.svelte';

  /** The watch beside what is live: whether it runs, what it knows, and how it speaks. */
  interface Props {
    noticing: Overview['noticing'];
    live: boolean;
  }
  let { noticing, live }: Props = $props();
  const stands = $derived.by(() => {
    if (!noticing.on) return t('Nothing is watched. A check shows what drifted.');
    if (!live) return t('While you are live, it notices by itself when something changed.');
    if (noticing.why_not) return noticing.why_not;
    if (noticing.noticed) return noticing.noticed.sentence;
    const talk = counted(noticing.talk_min, '{count} minute of talk heard', '{count} minutes of talk heard');
    const days = noticing.days
      ? counted(
          noticing.days,
          'compared with {count} ordinary day of yours',
          'compared with {count} ordinary days of yours',
        )
      : t('compared with what talkers differ by from day to day');
    return t('Nothing has changed so far: {talk}, {days}.', { talk, days });
  });
</script>

<section aria-label={t('Watch')}>
  <label>
    <input
      type="checkbox"
      checked={noticing.on}
      onchange={(event) => void desk.do('put', '/api/noticing', { body: { on: event.currentTarget.checked } })}
    />
    Notice changes while I am live
  </label>
  {#if mayNotify && noticing.on}
    <label>
      <input
        type="checkbox"
        checked={notifications.on}
        onchange={(event) => void notifications.allow(event.currentTarget.checked)}
      />
      Also as a notification of the desktop
    </label>
  {/if}
  <p role="status">{stands} <span class="soft">It keeps numbers of your voice and your room, never sound.</span></p>
</section>

<style>
  section {
    display: flex;
    flex-wrap: wrap;
    gap: 4px 18px;
    margin-top: 12px;
    padding-top: 8px;
    border-top: 1px solid var(--rule);
    font-size: 13px;
  }
  label {
    display: inline-flex;
    gap: 6px;
    align-items: center;
    min-height: 24px;
  }
  p {
    flex: 1 0 100%;
    max-width: 90ch;
  }
  .soft {
    color: var(--quiet-ink);
  }
</style>
