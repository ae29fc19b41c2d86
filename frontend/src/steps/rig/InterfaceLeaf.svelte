<script lang="ts">
  import { rate } from '../../lib/format';
  import { t } from '../../lib/words';
  import type { Interface, Overview } from '../../lib/api';
  import { desk } from '../../lib/state.svelte';
  import Field from '../../parts/Field.svelte';
  import KeptChoice from './KeptChoice.svelte';

  interface Props {
    overview: Overview;
    box: Interface;
  }
  let { overview, box }: Props = $props();
  const rig = $derived(overview.rig);

  const KNOBS: { value: Interface['knob']; title: string }[] = [
    { value: 'dB', title: t('dB, or nothing') },
    { value: 'dial', title: t('with numbers') },
  ];
  const rates = $derived(box.rates_hz.map((value) => ({ value, title: rate(value) })));
  const depths = $derived(
    box.bits.map((value) => ({ value: value as 16 | 24 | 32, title: t('{value} bit', { value }) })),
  );

  function keep(change: Partial<Interface>): void {
    void desk.keepInterface(box.id, change);
  }
</script>

<KeptChoice kind="interface" things={overview.interfaces} chosen={box.id} />
<div class="fields">
  <Field label="Name" wide value={box.name} keep={(name) => keep({ name })} />
  <Field label="Knob is marked" kind="choice" choices={KNOBS} value={box.knob} keep={(knob) => keep({ knob })} />
  {#if box.knob === 'dB'}
    <Field
      label="Gain from, dB"
      kind="number"
      value={box.gain_low_db ?? null}
      keep={(value) => keep({ gain_low_db: value })}
    />
    <Field
      label="Gain to, dB"
      kind="number"
      value={box.gain_high_db ?? null}
      keep={(value) => keep({ gain_high_db: value })}
    />
    <Field label="Step, dB" kind="needed" value={box.gain_step_db} keep={(value) => keep({ gain_step_db: value })} />
  {:else}
    <Field label="Lowest number" kind="needed" value={box.dial_low} keep={(value) => keep({ dial_low: value })} />
    <Field label="Highest number" kind="needed" value={box.dial_high} keep={(value) => keep({ dial_high: value })} />
    <Field label="Finest mark" kind="needed" value={box.dial_step} keep={(value) => keep({ dial_step: value })} />
  {/if}
  <Field label="Pad, dB" kind="number" value={box.pad_db ?? null} keep={(value) => keep({ pad_db: value })} />
  <Field
    label="Maximum input, dBu"
    kind="number"
    value={box.max_input_dbu ?? null}
    keep={(value) => keep({ max_input_dbu: value })}
  />
  <Field
    label="Input noise (EIN), dBu"
    kind="number"
    value={box.ein_dbu ?? null}
    keep={(value) => keep({ ein_dbu: value })}
  />
  <Field
    label="Has phantom power"
    kind="known"
    value={box.has_phantom ?? null}
    keep={(value) => keep({ has_phantom: value })}
  />
  <Field
    label="Direct monitoring"
    kind="known"
    value={box.direct_monitoring ?? null}
    keep={(value) => keep({ direct_monitoring: value })}
  />
</div>
<div class="fields rule">
  <Field
    label="Phantom power is on"
    kind="known"
    value={rig.phantom_on ?? null}
    keep={(value) => void desk.changeRig({ phantom_on: value })}
  />
  <Field
    label="Sample rate"
    kind="choice"
    choices={rates}
    value={rig.rate_hz}
    disabled={rig.source === 'simulated'}
    keep={(value) => void desk.changeRig({ rate_hz: value })}
  />
  <Field
    label="Depth"
    kind="choice"
    choices={depths}
    value={rig.bits}
    keep={(value) => void desk.changeRig({ bits: value })}
  />
</div>
<p>
  The data sheet has these numbers. Everything works without them: levels then count from where the knob is now. What
  cannot be known is shown as unknown.
</p>

<style>
  .fields {
    display: grid;
    grid-template-columns: repeat(auto-fill, minmax(140px, 1fr));
    gap: 8px 14px;
    padding: 12px 0;
  }
  .rule {
    border-top: 1px solid var(--rule);
  }
  p {
    color: var(--quiet-ink);
    font-size: 13px;
  }
</style>
