<script lang="ts">
  import { marked, t } from '../../lib/words';
  import type { Overview } from '../../lib/api';
  import { place } from '../../lib/place.svelte';
  import { desk } from '../../lib/state.svelte';
  import Bench from '../../parts/Bench.svelte';
  import Button from '../../parts/Button.svelte';
  import Fact from '../../parts/Fact.svelte';
  import StageBlock from '../../parts/StageBlock.svelte';
  import Unknown from '../../parts/Unknown.svelte';
  import Waiting from '../../parts/Waiting.svelte';
  import ColourPicture from './ColourPicture.svelte';
  import CurvePicture from './CurvePicture.svelte';
  import OrderLeaf from './OrderLeaf.svelte';
  import SpreadPicture from './SpreadPicture.svelte';

  interface Props {
    overview: Overview;
  }
  let { overview }: Props = $props();
  const delivery = $derived(overview.delivery);
  const step = $derived(overview.steps.find((s) => s.name === 'steady'));
  const leaf = $derived(place.leafName);
  const stages = $derived(overview.stages.filter((s) => s.step === 'steady' && s.leaf === leaf));
  const lead = $derived(
    {
      levels: t('How your words spread over level, raw and treated, against what listeners need.'),
      curve: t('Output against input, and a stretch of your talk with its reduction.'),
      colour: t('What each share adds, for character or fun. Off until you want it.'),
      order: t('The sequence of the stages. Move one, and read what that costs.'),
    }[leaf] ?? '',
  );
</script>

<Bench title="Steady" {lead} beside={delivery ? (leaf === 'levels' ? 'curve' : 'levels') : null}>
  {#snippet evidence()}
    {#if !delivery}
      <Waiting text="Read the passage in Tone first: dynamics come after the tone." />
    {:else if leaf === 'curve'}<CurvePicture {overview} {delivery} />
    {:else if leaf === 'colour' && delivery.steady.colour}
      <ColourPicture colour={delivery.steady.colour} on={stages.some((stage) => stage.on)} />
    {:else if leaf === 'colour'}<Waiting text="Recalculate to see what each share adds." />
    {:else if leaf === 'order'}<OrderLeaf {overview} />
    {:else}<SpreadPicture {delivery} />{/if}
  {/snippet}
  {#snippet second(shown)}
    {#if delivery && shown === 'curve'}<CurvePicture {overview} {delivery} />
    {:else if delivery}<SpreadPicture {delivery} />{/if}
  {/snippet}
  {#snippet slip()}
    {#if delivery}
      {#if step?.status === 'stale'}<Fact name="Outdated" value="" mark="fault">{step.why} Recalculate.</Fact>{/if}
      {#if leaf === 'levels' || leaf === 'order'}
        {#each delivery.facts as fact (fact.name)}
          <Fact name={fact.name} value={fact.value} mark={fact.mark}>{fact.sentence}</Fact>
        {/each}
        <Fact name="Delay of the chain" value="{marked(delivery.delay_ms.toFixed(1))} ms" mark="none">
          Comparisons of raw and treated are aligned by it.
        </Fact>
      {/if}
      {#if leaf === 'curve' && delivery.steady.compressor}
        {@const c = delivery.steady.compressor}
        <Fact name="Louder half of your speech" value="{marked(c.spread_after_db.toFixed(1))} dB" mark="none">
          {marked(c.spread_db.toFixed(1))} dB wide raw. Your room rises {marked(c.lift_db.toFixed(1))} dB in pauses for it.
        </Fact>
      {/if}
      {#each stages as stage (stage.key)}
        <StageBlock
          {stage}
          open={leaf !== 'levels'}
          settings={overview.settings.filter((s) => s.stage === stage.key)}
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
      onclick={() => void desk.confirm('steady')}>Confirm steady</Button
    >
    <span>then Send</span>
  {/snippet}
</Bench>
