<script lang="ts">
  import { t } from '../../lib/words';
  import type { Overview } from '../../lib/api';
  import { TWO } from '../../lib/examples';
  import { playback } from '../../lib/playback.svelte';
  import { desk } from '../../lib/state.svelte';
  import Button from '../../parts/Button.svelte';
  import Example from '../../parts/Example.svelte';
  import { TO_READ } from '../tone/passage';
  import { compared } from './compared.svelte';
  import { ROOM_S } from './drift';
  import RelativePicture from './RelativePicture.svelte';
  import TwoBars from './TwoBars.svelte';

  /** Two microphones: what the voice cancels out of, and what each makes of the room. */
  interface Props {
    overview: Overview;
  }
  let { overview }: Props = $props();
  const shown = $derived(compared.shown);
  const running = $derived(desk.progress?.purpose === 'both' ? desk.progress : null);

  const heard = (take: number) => playback.playing === 'raw' && playback.heardTake === take;

  function hear(take: number): void {
    if (heard(take)) return playback.stopSound();
    playback.heardTake = take;
    playback.hear('raw');
  }

  function choose(event: Event): void {
    const value = (event.currentTarget as HTMLSelectElement).value;
    void compared.choose(value ? Number(value) : null);
  }
</script>

{#if running}
  <div>
    {#if running.state === 'measuring'}
      <p class="big">Comparing…</p>
    {:else if running.done_s < ROOM_S}
      <p class="big">Do not talk yet: the room first, {Math.ceil(ROOM_S - running.done_s)} s.</p>
    {:else}
      <p class="big">Now read, to both microphones:</p>
      <p>{TO_READ}</p>
    {/if}
  </div>
{:else}
  <div class="whole">
    <div class="row">
      <label
        >Compare
        <select value={compared.rigId ?? ''} onchange={choose}>
          <option value="">two inputs of one interface, at once</option>
          {#each overview.rigs_beside as rig (rig.id)}
            <option value={rig.id}>this rig, then “{rig.name}”</option>
          {/each}
        </select>
      </label>
      {#if shown?.take_id && shown.beside_id}
        {@const id = shown.take_id}
        {#each [[id, shown.first], [shown.beside_id, shown.second]] as const as [take, name] (take)}
          <Button quiet pressed={heard(take)} onclick={() => hear(take)}
            >{heard(take) ? t('Stop') : t('Hear {name}', { name })}</Button
          >
        {/each}
        <label
          >Second microphone
          <input
            maxlength="80"
            value={shown.second}
            onchange={(event) =>
              void desk.do('patch', '/api/two/{id}', {
                params: { path: { id } },
                body: { name: event.currentTarget.value },
              })}
          />
        </label>
      {/if}
    </div>
    {#if shown}
      <RelativePicture two={shown} />
      <TwoBars two={shown} />
    {:else if compared.rigId !== null}
      <p role="status">Comparing…</p>
    {:else}
      <Example how={t('Record both microphones to see your own.')}>
        {#snippet beside()}
          <p class="soft">
            Plug the second microphone into input 2 of the same interface, both in front of your mouth. Twenty seconds:
            eight of your room, then the beginning of the passage. The voice is the same in both, so it cancels; the
            rest is the difference between the two. Or record the room and the passage with a second rig, and choose it
            above.
          </p>
        {/snippet}
        <RelativePicture two={TWO} /></Example
      >
    {/if}
  </div>
{/if}

<style>
  .whole {
    display: flex;
    flex-direction: column;
    gap: 10px;
    height: 100%;
  }
  .row {
    display: flex;
    flex-wrap: wrap;
    gap: 8px 18px;
  }
  label {
    display: inline-flex;
    gap: 6px;
    align-items: center;
    color: var(--quiet-ink);
    font-size: 13px;
  }
  select,
  input {
    min-height: 32px;
  }
  .big {
    margin-bottom: 10px;
    font-size: 19px;
    font-weight: 600;
  }
  .soft {
    max-width: 70ch;
    color: var(--quiet-ink);
  }
</style>
