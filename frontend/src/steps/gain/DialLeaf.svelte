<script lang="ts">
  import { marked, t } from '../../lib/words';
  import { columns } from '../../lib/numbers';
  import { sendFile, type Overview } from '../../lib/api';
  import { level, proper, signed } from '../../lib/format';
  import { decibelScale, steps } from '../../lib/scales';
  import { taking } from '../../lib/taking.svelte';
  import { desk } from '../../lib/state.svelte';
  import Button from '../../parts/Button.svelte';
  import Picture from '../../parts/Picture.svelte';
  import { scaleLinear } from 'd3-scale';
  import { line } from 'd3-shape';
  import { typingNumber } from '../../lib/typing.svelte';
  import { marksLeft, marksToTake } from './dial';

  /** Two or more short takes of one steady sound at known marks tell what a dial's numbers are in dB. */
  let { overview }: { overview: Overview } = $props();

  const dialled = $derived(
    overview.interfaces.find((thing) => thing.id === overview.rig.interface_id)?.knob === 'dial',
  );
  let chosen = $state<'preamp' | 'slider'>('preamp');
  const control = $derived(overview.controls.find((entry) => entry.key === (dialled ? chosen : 'slider')));
  const takes = $derived(overview.takes.filter((take) => take.purpose === 'dial' && !take.fault));
  let mark = $state<number | null>(null);
  const position = $derived(mark ?? control?.position ?? 0);
  const unit = $derived(control?.unit === '%' ? ' %' : '');

  const taken = $derived(
    takes.map((take) => take.position).filter((position) => position !== null && position !== undefined),
  );
  const [low, high] = $derived([control?.low ?? 0, control?.high ?? 10]);
  const left = $derived(marksLeft(marksToTake(low, high, control?.step ?? 1), taken, low, high));

  let picker = $state<HTMLInputElement | null>(null);
  const more = $derived({ position, learns: control?.key === 'slider' ? ('slider' as const) : ('preamp' as const) });
  const files = $derived(overview.rig.source === 'file');

  function take(): void {
    if (files) picker?.click();
    else void taking.take('dial', more);
  }

  function chooseFile(): void {
    const file = picker?.files?.[0];
    if (file) void desk.attempt(() => sendFile('dial', file, taking.channel, more));
    if (picker) picker.value = '';
  }

  function draw(learned: number[][], width: number, height: number) {
    const x = scaleLinear()
      .domain([low, high])
      .range([50, width - 20]);
    const gains = learned.map((row) => row[1] ?? 0);
    const top = Math.ceil((Math.max(...gains) + 3) / 10) * 10;
    const bottom = Math.min(0, Math.floor((Math.min(...gains) - 3) / 10) * 10);
    const y = decibelScale(bottom, top, height - 34, 12);
    const path = line<number[]>()
      .x((row) => x(row[0] ?? 0))
      .y((row) => y(row[1] ?? 0));
    return { x, y, bottom, top, path: path(learned) ?? '' };
  }
</script>

<div class="tools">
  {#if dialled}
    <label>
      Learn
      <select bind:value={chosen}>
        <option value="preamp">the preamp’s dial</option>
        <option value="slider">the input slider</option>
      </select>
    </label>
  {/if}
  <label>
    It is now at
    <input
      type="number"
      step={control?.step ?? 1}
      min={control?.low ?? 0}
      max={control?.high ?? 10}
      {@attach typingNumber(
        () => position,
        (entered) => (mark = entered),
      )}
    />{unit}
  </label>
  <Button primary disabled={desk.busy || !!desk.progress} onclick={take}
    >{files ? t('Choose a file for this mark') : t('Record this mark, 5 s')}</Button
  >
  <input
    bind:this={picker}
    type="file"
    accept=".wav,.flac,.aiff,.aif,.ogg,audio/*"
    onchange={chooseFile}
    class="hidden-text"
    tabindex="-1"
    aria-label="Sound file of this mark"
  />
</div>
<p>
  Make one steady sound, such as noise from a phone beside the microphone; record it, turn the {dialled &&
  chosen === 'preamp'
    ? t('dial')
    : t('slider')} to another mark, record it again. Two marks give the dB between them, more give its curve.
</p>
{#if control && control.learned.length}
  <p class="found">
    <strong class="num">{signed(control.db_per_unit ?? 0)} dB</strong> for each {control.unit === '%'
      ? 'percent'
      : 'number'} on average, uncertainty <strong class="num">±{marked((control.error_db ?? 0).toFixed(1))} dB</strong>;
    learned at
    {control.learned.map((row) => `${level(row[0], 0)}${unit}`).join(', ')}.
  </p>
  <div class="picture">
    <Picture
      numbers={columns({
        [t('mark')]: control.learned.map((row) => row[0]),
        [t('gain, dB')]: control.learned.map((row) => row[1]),
        [t('uncertainty, dB')]: control.learned.map((row) => row[2]),
      })}
      least={170}
      label="Gain in dB at the learned marks of {control.title}"
    >
      {#snippet children(width, height)}
        {@const p = draw(control.learned, width, height)}
        {#each steps(p.bottom, p.top, 10) as tick (tick)}
          <line x1="50" x2={width - 20} y1={p.y(tick)} y2={p.y(tick)} stroke="var(--rule)" />
          <text class="num soft" x="42" y={p.y(tick) + 4} text-anchor="end">{level(tick, 0)}</text>
        {/each}
        {#each p.x.ticks(8) as tick (tick)}
          <text class="num soft" x={p.x(tick)} y={height - 16} text-anchor="middle">{level(tick, 0)}</text>
        {/each}
        <text class="soft" x={width - 20} y={height - 2} text-anchor="end"
          >{control.unit === '%' ? t('slider, percent') : t('number on the dial')}; dB against the lowest learned mark</text
        >
        <path d={p.path} fill="none" stroke="var(--ink)" stroke-width="2" />
        {#each control.learned as row (row[0])}
          {@const error = row[2] ?? 0}
          <line
            x1={p.x(row[0] ?? 0)}
            x2={p.x(row[0] ?? 0)}
            y1={p.y((row[1] ?? 0) - error)}
            y2={p.y((row[1] ?? 0) + error)}
            stroke="var(--peak)"
            stroke-width="2"
          />
          <circle cx={p.x(row[0] ?? 0)} cy={p.y(row[1] ?? 0)} r="4" fill="var(--ink)" />
        {/each}
      {/snippet}
    </Picture>
  </div>
{:else}
  {#if takes.length === 1}
    <p class="found">One mark is recorded. Turn the knob, and record a second one.</p>
  {:else if !dialled}
    <p class="soft">
      {proper(
        t(
          'This rig’s knob is marked in dB. Choose a numbered one in Rig, under Interface; the slider can be learned here.',
        ),
      )}
    </p>
  {/if}
  {#if control}
    <div class="picture">
      <Picture
        least={170}
        label="The curve of {control.title} will stand here. The most useful marks: {left
          .map((at) => `${level(at, 0)}${unit}`)
          .join(', ')}"
      >
        {#snippet children(width, height)}
          {@const x = scaleLinear()
            .domain([low, high])
            .range([50, width - 20])}
          {@const y = scaleLinear()
            .domain([low, high])
            .range([height - 48, 36])}
          <line x1="50" x2={width - 20} y1={height - 34} y2={height - 34} stroke="var(--edge)" />
          <path
            d="M{x(low)} {y(low)}L{x(high)} {y(high)}"
            fill="none"
            stroke="var(--quiet-ink)"
            stroke-width="2"
            stroke-dasharray="3 6"
          />
          {#each x.ticks(8) as tick (tick)}
            <text class="num soft" x={x(tick)} y={height - 16} text-anchor="middle">{level(tick, 0)}</text>
          {/each}
          {#each left as at (at)}
            <circle
              cx={x(at)}
              cy={y(at)}
              r="9"
              fill="var(--sheet)"
              stroke="var(--aim)"
              stroke-width="2.5"
              stroke-dasharray="4 3"
            />
            <text class="num" x={x(at)} y={y(at) - 16} text-anchor="middle" style="fill: var(--aim); font-weight: 600"
              >record {level(at, 0)}{unit}</text
            >
          {/each}
          {#each taken as at (at)}
            <circle cx={x(at)} cy={y(at)} r="6" fill="var(--ink)" />
            <text class="num" x={x(at)} y={y(at) + 24} text-anchor="middle">{level(at, 0)}{unit} recorded</text>
          {/each}
          <text class="soft" x="50" y="18">its dB are unknown until two marks are recorded</text>
          <text class="soft" x={width - 20} y={height - 2} text-anchor="end"
            >{control.unit === '%' ? t('slider, percent') : t('number on the dial')}</text
          >
        {/snippet}
      </Picture>
    </div>
  {/if}
{/if}

<style>
  .tools {
    display: flex;
    flex-wrap: wrap;
    gap: 8px 16px;
    align-items: center;
    font-size: 13px;
  }
  input,
  select {
    min-height: 30px;
  }
  input {
    width: 74px;
  }
  p {
    max-width: 76ch;
    margin-top: 8px;
    color: var(--quiet-ink);
    font-size: 13px;
  }
  .found {
    color: var(--ink);
    font-size: 14px;
  }
  .picture {
    height: 220px;
  }
</style>
