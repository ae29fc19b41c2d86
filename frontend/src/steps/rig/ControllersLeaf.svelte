<script lang="ts">
  import { t, within } from '../../lib/words';
  import type { Overview } from '../../lib/api';
  import { controllers, SIMULATED, type Does } from '../../lib/controllers.svelte';
  import { desk } from '../../lib/state.svelte';
  import Button from '../../parts/Button.svelte';
  import Mark from '../../parts/Mark.svelte';
  import SimulatedController from './SimulatedController.svelte';

  /** Knobs and pads: what is plugged in, what each does, and how to bind another. */
  let { overview }: { overview: Overview } = $props();
  const simulated = $derived(overview.computer.simulated);
  const devices = $derived(controllers.devices.filter((name) => simulated || name !== SIMULATED));
  const CHOICES = $derived<[string, Does | 'touched'][]>([
    [t('turns the setting you touch next'), 'touched'],
    [t('mutes every feed'), { do: 'mute' }],
    [t('talks while it is held (push to talk)'), { do: 'talk' }],
    [t('goes live, or stops'), { do: 'live' }],
    [t('records, or stops'), { do: 'record' }],
    ...(overview.situations.length ? ([[t('uses the next situation'), { do: 'situation' }]] as [string, Does][]) : []),
    ...overview.situations.map((situation): [string, Does] => [
      t('uses: {situation}', { situation: situation.name }),
      { do: 'situation', situation: situation.id },
    ]),
    ...overview.stages.map((stage): [string, Does] => [
      t('switches: {stage}', { stage: within(stage.title) }),
      { do: 'stage', stage: stage.key },
    ]),
    ...overview.clip_names.map((clip): [string, Does] => [
      t('plays: {clip}', { clip: clip.name }),
      { do: 'clip', clip: clip.id },
    ]),
  ]);
  let choice = $state(0);

  function learn(): void {
    controllers.learning = controllers.learning ? null : (CHOICES[choice]?.[1] ?? 'touched');
  }
  import Across from '../../parts/Across.svelte';
</script>

<div class="whole">
  <p class="row">
    {#each devices as name (name)}<span><Mark kind="good" /> {name}</span>{/each}
    {#if !controllers.there}
      <Button quiet onclick={() => void controllers.use()}>Use this computer’s controllers</Button>
    {/if}
    {#if controllers.last}
      <span class="soft" role="status"
        >{controllers.last.device}: {controllers.last.kind}
        {controllers.last.number}, channel {controllers.last.channel}, at {controllers.last.value}</span
      >
    {/if}
  </p>
  {#if controllers.trouble}<p><Mark kind="fault" /> {controllers.trouble}</p>{/if}
  <div class="row">
    <label
      >A knob or pad
      <select bind:value={choice}>
        {#each CHOICES as [title], k (title)}<option value={k}>{title}</option>{/each}
      </select>
    </label>
    <Button primary={!overview.bindings.length} pressed={controllers.learning !== null} onclick={learn}
      >{controllers.learning ? t('Stop learning') : t('Assign it')}</Button
    >
    {#if controllers.learning && controllers.learning !== 'touched'}
      <span role="status">Now turn the knob, or press the pad.</span>
    {/if}
  </div>
  {#if overview.bindings.length}
    <Across label="Controllers"
      ><table>
        <thead>
          <tr><th scope="col">control</th><th scope="col">does</th><td></td></tr>
        </thead>
        <tbody>
          {#each overview.bindings as binding (binding.id)}
            {@const there = devices.includes(binding.device)}
            <tr>
              <th scope="row">
                <Mark kind={there ? 'good' : 'fault'} />
                {binding.device}, {binding.kind}
                {binding.number}, channel {binding.channel}
                {#if !there}<span class="soft">not plugged in</span>{/if}
              </th>
              <td>
                {binding.title ?? t('what it did is no longer there')}
                {#if controllers.waiting === binding.id}
                  <span class="soft">turn on until the knob reaches the setting</span>
                {/if}
              </td>
              <td>
                <button
                  type="button"
                  class="link"
                  onclick={() => void desk.do('delete', '/api/bindings/{id}', { params: { path: { id: binding.id } } })}
                  >Release</button
                >
              </td>
            </tr>
          {/each}
        </tbody>
      </table></Across
    >
    <p><a href="/api/bindings/file" download>Save as a file</a></p>
  {:else}
    <p class="soft">
      Touch a setting in any step, then turn a knob: the knob is assigned to it. It takes hold when it reaches the
      setting, so nothing jumps.
    </p>
  {/if}
  {#if simulated}<SimulatedController />{/if}
</div>

<style>
  .whole {
    display: flex;
    flex-direction: column;
    gap: 12px;
  }
  .row {
    display: flex;
    flex-wrap: wrap;
    gap: 8px 18px;
    align-items: center;
  }
  label {
    display: inline-flex;
    gap: 6px;
    align-items: center;
    color: var(--quiet-ink);
    font-size: 13px;
  }
  select {
    min-height: 32px;
  }
  table {
    border-collapse: collapse;
    font-size: 13px;
  }
  th,
  td {
    padding: 5px 14px 5px 0;
    border-bottom: 1px solid var(--rule);
    text-align: left;
  }
  .soft {
    color: var(--quiet-ink);
    font-size: 13px;
    font-weight: 400;
  }
</style>
