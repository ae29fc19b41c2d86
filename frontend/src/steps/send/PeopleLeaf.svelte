<script lang="ts">
  import { onDestroy } from 'svelte';
  import { act, type Overview } from '../../lib/api';
  import { level } from '../../lib/format';
  import { desk } from '../../lib/state.svelte';
  import { marked, t } from '../../lib/words';
  import Button from '../../parts/Button.svelte';
  import Mark from '../../parts/Mark.svelte';
  import SpillPicture from './SpillPicture.svelte';

  /** Two people at one desk: whose rig the second microphone is, and how loud each is in the other's. */
  interface Props {
    overview: Overview;
  }
  let { overview }: Props = $props();
  type Who = Overview['two_people']['spill'][number]['who'];
  const WAYS: Who[] = ['voice', 'person'];
  const people = $derived(overview.two_people);
  const chosen = $derived(people.rigs.find((rig) => rig.id === people.chosen));
  const lowered = $derived(people.is_lowered ? desk.live?.lowered_db : null);
  const next = $derived(WAYS.find((who) => !people.spill.some((way) => way.who === who)) ?? null);
  let measuring = $state<Who | null>(null);
  let left = $state(0);
  let ticking: ReturnType<typeof setInterval> | undefined;

  /** It lasts as long as one talks, so whatever else is pressed need not wait for it. */
  async function measure(who: Who): Promise<void> {
    measuring = who;
    left = Math.ceil(people.seconds);
    ticking = setInterval(() => (left = Math.max(0, left - 1)), 1000);
    await desk.beside(() => act('post', '/api/person/spill', { body: { who } }));
    clearInterval(ticking);
    measuring = null;
  }
  onDestroy(() => clearInterval(ticking));

  const said = (who: Who) => people.spill.find((way) => way.who === who);
</script>

<div class="whole">
  {#if !people.rigs.length}
    <p class="words">
      Somebody beside you speaks through a rig of their own: their microphone, their calibration, their row in every
      mix. Add a rig in Rig, take it in hand, calibrate it with them at their microphone, and choose it here.
    </p>
  {:else}
    <p class="row">
      <label
        >Beside you
        <select
          value={people.chosen ?? ''}
          disabled={desk.busy || measuring !== null}
          onchange={(e) =>
            void desk.do('put', '/api/person', {
              body: { rig: e.currentTarget.value === '' ? null : Number(e.currentTarget.value) },
            })}
        >
          <option value="">nobody</option>
          {#each people.rigs as rig (rig.id)}<option value={rig.id} disabled={rig.why_not !== null}>{rig.name}</option
            >{/each}
        </select></label
      >
      {#if !chosen}<span class="soft"
          >{people.rigs.every((rig) => rig.why_not !== null)
            ? people.rigs[0]?.why_not
            : t('Choose the rig of whoever sits there: it has to be calibrated with their voice.')}</span
        >
      {:else if !people.on}<span class="soft">Out of use: take them into use in Other sources.</span>
      {:else}<span class="soft">Heard with you, as loud as you, in every mix that has your voice.</span>{/if}
    </p>
  {/if}
  {#if chosen && people.on && people.on_two_devices}
    <p class="words">
      <Mark kind="none" /> Neither is lowered while the other one talks: two devices have a clock each, so what one hears
      is not found in the other to the millisecond. Put both microphones on inputs of one device for that.
    </p>
  {:else if chosen && people.on}
    <div class="row">
      {#each WAYS as who (who)}
        <Button
          primary={people.live && who === next && measuring === null}
          disabled={!people.live || measuring !== null}
          onclick={() => void measure(who)}
          >{who === 'voice' ? t('Only you talk') : t('Only they talk')}{#if measuring === who}, {marked(String(left))} s{:else if said(who)},
            {t('again')}{/if}</Button
        >
      {/each}
      <span class="soft" role="status"
        >{#if measuring === 'voice'}Talk without long pauses; the other person is silent.
        {:else if measuring === 'person'}Let them talk without long pauses, and be silent.
        {:else if !people.live}Start live first: the spill is measured on both microphones at once.
        {:else if people.is_old}<Mark kind="fault" /> A microphone, its place or its gain changed since. Measure both again.
        {:else if people.is_lowered && lowered}Lowered now: you {level(lowered[0])} dB, {chosen.name}
          {level(lowered[1])} dB.
        {:else if people.is_lowered}Each goes down while only the other one talks.
        {:else}Each talks for {marked(people.seconds.toFixed(0))} s while the other one is silent.{/if}</span
      >
    </div>
    {#if people.spill.length}
      <SpillPicture {people} name={chosen.name} />
    {/if}
  {/if}
</div>

<style>
  .whole {
    display: flex;
    flex-direction: column;
    gap: 12px;
    height: 100%;
  }
  .row {
    display: flex;
    flex-wrap: wrap;
    gap: 8px 12px;
    align-items: center;
  }
  label {
    display: flex;
    gap: 8px;
    align-items: center;
    font-weight: 600;
  }
  select {
    min-height: 30px;
    max-width: 260px;
  }
  .soft {
    flex: 1;
    min-width: 220px;
    color: var(--quiet-ink);
    font-size: 13px;
  }
  .words {
    max-width: 62ch;
  }
</style>
