<script lang="ts">
  import { rate } from '../../lib/format';
  import { t } from '../../lib/words';
  import type { Overview, RigFields } from '../../lib/api';
  import { desk } from '../../lib/state.svelte';
  import Mark from '../../parts/Mark.svelte';

  /** Where sound comes from, and which microphone and channel of the computer. */
  interface Props {
    overview: Overview;
  }
  let { overview }: Props = $props();

  type Source = RigFields['source'];
  const rig = $derived(overview.rig);
  const computer = $derived(overview.computer);
  const TITLES: Record<Source, string> = {
    system: t('This computer'),
    browser: t('The browser’s microphone'),
    file: t('Files'),
    simulated: t('The simulated boathouse'),
  };
  const TEXTS: Record<Source, string> = {
    system: t('A microphone of this computer, at its own rate, without the browser in between.'),
    browser: t('The browser delivers the microphone raw; it is asked to switch its own processing off.'),
    file: t('Takes you recorded elsewhere: WAV, FLAC, AIFF or Ogg.'),
    simulated: t('A talker in a loft with a heater, a pump and rain. For trying everything without a microphone.'),
  };
  const offered = $derived<Source[]>(
    computer.simulated ? ['browser', 'file', 'simulated'] : ['system', 'browser', 'file'],
  );
  /** What a rig was made of elsewhere stays named until another way is chosen. */
  const sources = $derived(offered.includes(rig.source) ? offered : [...offered, rig.source]);
  const inputs = $derived(computer.devices.filter((device) => device.direction === 'input'));
  const mine = $derived(inputs.find((device) => device.of_rig));
</script>

<div class="sources" role="radiogroup" aria-label="Where sound comes from">
  <h3>Where sound comes from</h3>
  {#each sources as source (source)}
    <label>
      <input
        type="radio"
        name="source"
        checked={rig.source === source}
        onchange={() => void desk.editRig({ source })}
      />
      {TITLES[source]}
    </label>
  {/each}
  {#if rig.source === 'system' && computer.missing}
    <p class="fault">
      <Mark kind="fault" /> <span>{computer.missing} The browser’s microphone works without it.</span>
    </p>
  {:else if rig.source === 'system'}
    <div class="which">
      <select
        aria-label="Microphone"
        value={mine?.id ?? ''}
        onchange={(e) => void desk.do('post', '/api/computer/rig', { body: { device_id: e.currentTarget.value } })}
      >
        {#if !mine}<option value="" disabled
            >{inputs.length ? t('choose a microphone') : t('no microphone is plugged in')}</option
          >{/if}
        {#each inputs as input (input.key)}<option value={input.id}>{input.own_name ?? input.system_name}</option
          >{/each}
      </select>
      {#if mine && mine.channels > 1}
        <select
          aria-label="Channel"
          value={rig.channel ?? 0}
          onchange={(e) => void desk.editRig({ channel: Number(e.currentTarget.value) || null })}
        >
          <option value={0}>channel with the voice</option>
          {#each Array.from({ length: mine.channels }, (_, i) => i + 1) as channel (channel)}<option value={channel}
              >channel {channel}</option
            >{/each}
        </select>
      {/if}
      {#if mine}<span class="num">{rate(mine.rate_hz)}</span>{/if}
    </div>
    <p>{TEXTS.system}</p>
  {:else}
    <p>{TEXTS[rig.source]}</p>
  {/if}
</div>

<style>
  .sources {
    padding: 6px 0 8px;
    border-bottom: 1px solid var(--rule);
  }
  h3 {
    font: 600 14px/1.3 var(--text);
  }
  label {
    display: inline-flex;
    gap: 6px;
    align-items: center;
    margin: 4px 12px 2px 0;
    font-size: 13px;
    cursor: pointer;
  }
  p {
    color: var(--quiet-ink);
    font-size: 13px;
    line-height: 1.4;
  }
  .fault {
    display: flex;
    gap: 9px;
    color: var(--ink);
  }
  .fault :global(svg) {
    flex: none;
    margin-top: 3px;
  }
  .which {
    display: flex;
    flex-wrap: wrap;
    gap: 4px 8px;
    align-items: center;
    padding: 4px 0;
  }
  select {
    min-width: 0;
    max-width: 100%;
    min-height: 30px;
    font-size: 13px;
  }
  .num {
    font-size: 12px;
  }
</style>
