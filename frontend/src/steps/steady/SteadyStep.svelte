<script lang="ts">
  import type { Overview } from '../../lib/api';
  import { level, signed } from '../../lib/format';
  import { desk } from '../../lib/state.svelte';
  import Bench from '../../parts/Bench.svelte';
  import Button from '../../parts/Button.svelte';
  import Fact from '../../parts/Fact.svelte';
  import StageBlock from '../../parts/StageBlock.svelte';
  import Unknown from '../../parts/Unknown.svelte';
  import Waiting from '../../parts/Waiting.svelte';
  import CurvePicture from './CurvePicture.svelte';
  import OrderLeaf from './OrderLeaf.svelte';
  import SpreadPicture from './SpreadPicture.svelte';

  interface Props {
    overview: Overview;
  }
  let { overview }: Props = $props();
  const delivery = $derived(overview.delivery);
  const step = $derived(overview.steps.find((s) => s.name === 'steady'));
  const leaf = $derived(desk.leafName);
  const kinds = $derived(
    { levels: ['leveller', 'gain', 'limiter'], curve: ['compressor'], colour: ['colour'] }[leaf] ?? [],
  );
  const stages = $derived(overview.stages.filter((s) => kinds.includes(s.kind)));
  const lead = $derived(
    {
      levels: 'How your words spread over level, as they come and as they leave, against what listeners need.',
      curve: 'What goes in against what comes out, and a stretch of your talk with what was taken from it.',
      colour: 'For character or fun. Off until you want it.',
      order: 'The way through the stages. Move one, and read what that gives up.',
    }[leaf] ?? '',
  );
  const aims = $derived.by(() => {
    const d = delivery;
    if (!d) return [];
    const inside = (value: number | null, low: number, high: number) => value !== null && value >= low && value <= high;
    return [
      {
        name: 'Loudness',
        value: `${level(d.planned_lufs)} LUFS`,
        good: inside(d.planned_lufs, d.aim_lufs - d.tolerance_lu, d.aim_lufs + d.tolerance_lu),
        text: `Aim ${level(d.aim_lufs, 0)} ± ${d.tolerance_lu} LU; as it came it had ${level(d.raw_lufs)}.`,
      },
      {
        name: 'Normal peaks',
        value: `${level(d.planned_peaks_dbfs)} dBFS`,
        good: inside(d.planned_peaks_dbfs, d.aim_peaks_dbfs[0] ?? -10, d.aim_peaks_dbfs[1] ?? -5),
        text: `Nine of ten moments of speech stay under it; aim ${level(d.aim_peaks_dbfs[0], 0)} to ${level(d.aim_peaks_dbfs[1], 0)}.`,
      },
      {
        name: 'True peak',
        value: `${level(d.planned_true_peak_dbtp)} dBTP`,
        good: inside(d.planned_true_peak_dbtp, -99, d.aim_ceiling_dbtp),
        text: `Ceiling ${level(d.aim_ceiling_dbtp, 0)}; the limiter took at most ${level(d.limited_db)} dB.`,
      },
      {
        name: 'Loudness range',
        value: d.planned_range_lu === null ? 'unknown' : `${d.planned_range_lu.toFixed(1)} LU`,
        good: inside(d.planned_range_lu, 0, d.aim_range_lu),
        text: `At most ${d.aim_range_lu} LU between soft and loud phrases.`,
      },
      {
        name: 'Room beside the voice',
        value: `${signed(d.lift_db ?? 0)} dB`,
        good: inside(d.lift_db, -99, d.aim_lift_db),
        text: `Measured in pauses; it may rise by ${d.aim_lift_db} dB. Floor at rest ${level(d.planned_floor_dbfs_a)} dBFS(A).`,
      },
    ];
  });
</script>

<Bench title="Steady" {lead}>
  {#snippet evidence()}
    {#if !delivery}
      <Waiting text="Read the passage in Tone first: the voice is steadied behind its tone." />
    {:else if leaf === 'curve'}<CurvePicture {overview} {delivery} />
    {:else if leaf === 'order'}<OrderLeaf {overview} />
    {:else}<SpreadPicture {delivery} />{/if}
  {/snippet}
  {#snippet slip()}
    {#if delivery}
      {#if step?.status === 'stale'}<Fact name="Stale" value="" mark="fault">{step.why} Derive again.</Fact>{/if}
      {#if leaf === 'levels' || leaf === 'order'}
        {#each aims as aim (aim.name)}
          <Fact name={aim.name} value={aim.value} mark={aim.good ? 'good' : 'fault'}>{aim.text}</Fact>
        {/each}
        <Fact name="Delay of the chain" value="{delivery.delay_ms.toFixed(1)} ms" mark="none">
          Raw and treated are lined up by it whenever they are compared.
        </Fact>
      {/if}
      {#if leaf === 'curve' && delivery.steady.compressor}
        {@const c = delivery.steady.compressor}
        <Fact name="Louder half of your speech" value="{c.spread_after_db.toFixed(1)} dB" mark="none">
          {c.spread_db.toFixed(1)} dB wide as it comes. Your room rises {c.lift_db.toFixed(1)} dB in pauses for it.
        </Fact>
      {/if}
      {#each stages as stage (stage.kind)}
        <StageBlock
          {stage}
          open={leaf !== 'levels'}
          settings={overview.settings.filter((s) => s.stage === stage.kind)}
          warning={delivery.warnings.find((w) => w.kind === stage.kind)?.sentence}
        />
      {/each}
    {:else}
      <Unknown what="how steady your voice is" />
    {/if}
  {/snippet}
  {#snippet action()}
    <Button
      primary={step?.status === 'open'}
      disabled={!delivery || step?.status === 'stale'}
      onclick={() => void desk.settle('steady')}>Settle Steady</Button
    >
    <span>then Send</span>
  {/snippet}
</Bench>
