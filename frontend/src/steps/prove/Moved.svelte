<script lang="ts">
  import { t } from '../../lib/words';
  import type { Checked } from '../../lib/api';
  import { desk } from '../../lib/state.svelte';
  import Button from '../../parts/Button.svelte';
  import Fact from '../../parts/Fact.svelte';
  import Unknown from '../../parts/Unknown.svelte';

  /** What a check found: the causes with what to do, and where the newest says so, one press that takes it over. */
  interface Props {
    checked: Checked | null;
    newest: boolean;
  }
  let { checked, newest }: Props = $props();

  const NAMES: Record<string, string> = {
    distance: t('Distance'),
    angle: t('Angle of the microphone'),
    gain: t('Gain'),
    slider: t('Slider after the converter'),
    pad: t('Pad'),
    microphone: t('Another microphone'),
    screen: t('Pop screen'),
    hum: t('Mains hum'),
    noise: t('Noise of the room'),
    reverb: t('Reverberation'),
    processing: t('Processing elsewhere'),
    voice: t('Your voice'),
    unexplained: t('Not explained'),
  };
</script>

{#if !checked}
  <Unknown what="what drifted" />
{:else if !checked.causes.length}
  <Fact name="Nothing drifted" value="" mark="good">
    The difference is no larger than between two readings of one sentence. The calibration holds.
  </Fact>
{/if}
{#each checked?.causes ?? [] as cause (cause.code)}
  <Fact name={NAMES[cause.code] ?? cause.code} value="{Math.round(cause.share * 100)} % of it" mark="fault">
    {cause.sentence}
    {cause.action}
  </Fact>
{/each}
{#if checked?.keeps && newest}
  {@const id = checked.take_id}
  <div class="keep">
    <Button
      disabled={desk.busy}
      title="What depends on it is recalculated"
      onclick={() => void desk.do('post', '/api/checks/{id}/keep', { params: { path: { id } } })}
      >Keep it as it is now</Button
    >
    <p class="soft">Takes over {checked.keeps} from this check, and recalculates what depends on it.</p>
  </div>
{/if}

<style>
  .keep {
    padding-top: 12px;
  }
  .soft {
    padding-top: 6px;
    color: var(--quiet-ink);
    font-size: 13px;
  }
</style>
