<script lang="ts">
  import { t } from '../../lib/words';
  import type { Control, GainPlan, Overview } from '../../lib/api';
  import { level, proper, signed } from '../../lib/format';
  import { desk } from '../../lib/state.svelte';
  import Mark from '../../parts/Mark.svelte';
  import { typingNumber } from '../../lib/typing.svelte';

  /** Every place where gain can be turned, in signal order: where it stands, where it should, and why. */
  let { overview }: { overview: Overview } = $props();
  const plan = $derived<GainPlan | null>(overview.gain_plan);

  function step(control: Control): number {
    return control.unit === '%' ? 5 : control.step;
  }
  import Across from '../../parts/Across.svelte';
</script>

<Across label="What to turn"
  ><table>
    <thead>
      <tr>
        <th scope="col">In signal order</th>
        <th scope="col">Now at</th>
        <th scope="col">Do this</th>
        <th scope="col">Change</th>
      </tr>
    </thead>
    <tbody>
      {#each overview.controls as control (control.key)}
        {@const move = plan?.moves.find((m) => m.key === control.key)}
        {@const stays = !move || (move.target === null ? !move.change_db : move.start === move.target)}
        <tr class:after={!control.analogue}>
          <th scope="row">
            {control.title}
            <small>{control.analogue ? t('before the converter') : t('after the converter')}</small>
          </th>
          <td>
            <span class="knob">
              <button
                type="button"
                aria-label="Turn {control.title} down"
                disabled={control.position === null}
                onclick={() => void desk.nudge(control.key, -step(control))}>−</button
              >
              <span class="num">{proper(control.spoken)}</span>
              <button
                type="button"
                aria-label="Turn {control.title} up"
                disabled={control.position === null}
                onclick={() => void desk.nudge(control.key, step(control))}>+</button
              >
            </span>
          </td>
          <td>
            {#if move}
              <span class="do" title={move.because}>
                <Mark kind={stays ? 'good' : 'fault'} />
                {proper(move.spoken)}
              </span>
              {#if move.target !== null && !stays}
                <button type="button" class="did" onclick={() => void desk.turn(control.key, move.target ?? 0)}
                  >{overview.rig.source === 'simulated' ||
                  (overview.rig.source === 'system' && control.key === 'slider')
                    ? 'Do it'
                    : t('I did it')}</button
                >
              {/if}
            {:else}<span class="soft">known after normal talk</span>{/if}
          </td>
          <td class="num"
            >{move && move.change_db !== null ? `${signed(move.change_db)} dB` : move ? t('unknown') : ''}</td
          >
        </tr>
      {/each}
    </tbody>
  </table></Across
>
{#if plan}
  <dl>
    <div>
      <dt>Highest normal peak, after it</dt>
      <dd class="num">{level(plan.expected_peak_dbfs)} dBFS</dd>
    </div>
    <div>
      <dt>Talk</dt>
      <dd class="num">{level(plan.expected_talk_dbfs)} dBFS</dd>
    </div>
    <div>
      <dt>Loudest</dt>
      <dd class="num">
        {plan.expected_loudest_dbfs === null ? t('unknown') : `${level(plan.expected_loudest_dbfs)} dBFS`}
      </dd>
    </div>
    <div>
      <dt>Headroom left</dt>
      <dd class="num">{level(plan.expected_headroom_db)} dB</dd>
    </div>
    <div>
      <dt>Noise floor{plan.floor_assumed && plan.expected_floor_dbfs !== null ? t(', if all of it moves') : ''}</dt>
      <dd class="num">
        {plan.expected_floor_dbfs === null ? t('unknown') : `${level(plan.expected_floor_dbfs)} dBFS`}
      </dd>
    </div>
    <div>
      <dt>SNR</dt>
      <dd class="num">{plan.expected_snr_db === null ? t('unknown') : `${level(plan.expected_snr_db)} dB`}</dd>
    </div>
  </dl>
{/if}
<div class="aim">
  <span>Target for normal peaks in this rig:</span>
  <label>
    from
    <input
      type="number"
      {@attach typingNumber(
        () => overview.rig.aim_low_dbfs,
        (aim_low_dbfs) => desk.changeRig({ aim_low_dbfs }),
      )}
    />
  </label>
  <label>
    to
    <input
      type="number"
      {@attach typingNumber(
        () => overview.rig.aim_high_dbfs,
        (aim_high_dbfs) => desk.changeRig({ aim_high_dbfs }),
      )}
    /> dBFS
  </label>
</div>

<style>
  table {
    width: 100%;
    border-collapse: collapse;
  }
  th,
  td {
    padding: 2px 10px 3px 0;
    border-bottom: 1px solid var(--rule);
    text-align: left;
    vertical-align: middle;
  }
  thead th {
    color: var(--quiet-ink);
    font-size: 12px;
    font-weight: 400;
  }
  tbody th {
    font-weight: 600;
  }
  small {
    display: block;
    color: var(--quiet-ink);
    font-size: 12px;
    font-weight: 400;
  }
  .knob {
    display: inline-flex;
    gap: 6px;
    align-items: center;
  }
  .knob .num {
    min-width: 52px;
    font-size: 13px;
    font-weight: 700;
    text-align: center;
  }
  button {
    min-width: 26px;
    min-height: 26px;
    border: 1px solid var(--ink);
    border-radius: 2px;
    background: none;
    font-weight: 600;
    cursor: pointer;
  }
  button:disabled {
    border-color: var(--rule);
    color: var(--quiet-ink);
  }
  .do {
    display: inline-flex;
    gap: 8px;
    align-items: center;
    margin-right: 10px;
  }
  .did {
    padding: 0 10px;
    font-size: 13px;
  }
  .soft {
    color: var(--quiet-ink);
  }
  dl {
    display: flex;
    flex-wrap: wrap;
    gap: 6px 26px;
    padding: 8px 0 7px;
    border-bottom: 1px solid var(--rule);
  }
  dt {
    color: var(--quiet-ink);
    font-size: 12px;
  }
  dd {
    font-size: 14px;
    font-weight: 700;
  }
  .aim {
    display: flex;
    gap: 12px;
    align-items: baseline;
    padding-top: 6px;
    color: var(--quiet-ink);
    font-size: 13px;
  }
  .aim input {
    width: 58px;
  }
</style>
