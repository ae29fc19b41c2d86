<script lang="ts">
  import { t, within } from '../../lib/words';
  import { act, type Overview } from '../../lib/api';
  import { playback } from '../../lib/playback.svelte';
  import { desk } from '../../lib/state.svelte';
  import Mark from '../../parts/Mark.svelte';
  import { moved } from './order';

  /** The stages as a line of stations. A stage moves by its two buttons; what an order defeats is said beside it. */
  interface Props {
    overview: Overview;
  }
  let { overview }: Props = $props();
  const kinds = $derived(overview.stages.map((stage) => stage.key));
  const warnings = $derived(overview.delivery?.warnings ?? []);

  async function move(kind: string, by: -1 | 1): Promise<void> {
    // From wherever it stands when its turn comes: quick presses add up.
    await desk.attempt(() =>
      act('put', '/api/stages/order', {
        body: { order: moved(desk.overview?.stages.map((stage) => stage.key) ?? kinds, kind, by) },
      }),
    );
    playback.hearAgain();
  }
</script>

<div class="tools">
  <label>
    Add a further
    <select
      value=""
      disabled={!overview.delivery}
      onchange={(event) => {
        void desk.do('post', '/api/stages', { body: { kind: event.currentTarget.value } });
        event.currentTarget.value = '';
      }}
    >
      <option value="" disabled>stage</option>
      {#each overview.repeatable as kind (kind.kind)}<option value={kind.kind}>{within(kind.title)}</option>{/each}
    </select>
  </label>
  <button type="button" onclick={() => void desk.do('put', '/api/stages/order', { body: { order: [] } })}
    >Default sequence</button
  >
</div>
<ol>
  {#each overview.stages as stage, place (stage.key)}
    {@const warning = warnings.find((w) => w.kind === stage.kind)}
    <li class:off={!stage.on}>
      <Mark kind={warning ? 'fault' : stage.on ? 'good' : 'none'} />
      <span class="name">{stage.title}</span>
      <span class="state">{stage.on ? t('on') : t('off')}</span>
      <span class="why">{warning?.sentence ?? ''}</span>
      <button
        type="button"
        aria-label="Move {stage.title} earlier"
        aria-disabled={place === 0 || undefined}
        onclick={() => void move(stage.key, -1)}>earlier</button
      >
      <button
        type="button"
        aria-label="Move {stage.title} later"
        aria-disabled={place === kinds.length - 1 || undefined}
        onclick={() => void move(stage.key, 1)}>later</button
      >
    </li>
  {/each}
</ol>

<style>
  ol {
    margin: 0;
    padding: 0;
    list-style: none;
  }
  li {
    display: flex;
    gap: 9px;
    align-items: center;
    min-height: 27px;
    border-bottom: 1px solid var(--rule);
    font-size: 13px;
  }
  .off .name {
    color: var(--quiet-ink);
  }
  .name {
    width: 140px;
    font-weight: 600;
  }
  .state {
    width: 28px;
    color: var(--quiet-ink);
  }
  .why {
    flex: 1;
    color: var(--ink);
  }
  button {
    min-height: 22px;
    padding: 0 7px;
    border: 1px solid var(--edge);
    border-radius: 2px;
    background: none;
    font-size: 12px;
    cursor: pointer;
  }
  select {
    min-height: 26px;
  }
  .tools {
    display: flex;
    gap: 12px;
    align-items: center;
    padding-bottom: 6px;
    font-size: 13px;
  }
</style>
