<script lang="ts">
  import { t } from '../../lib/words';
  import type { Overview } from '../../lib/api';
  import { sendFileTo } from '../../lib/api';
  import { desk } from '../../lib/state.svelte';
  import Button from '../../parts/Button.svelte';
  import Fact from '../../parts/Fact.svelte';
  import { carried } from './carried.svelte';
  import { chosenPair } from './chosen-pair.svelte';

  /** What can be done with a version, with a file that is looked at, or with files to come. */
  interface Props {
    overview: Overview;
  }
  let { overview }: Props = $props();
  let calibration = $state<HTMLInputElement | null>(null);
  let equalizer = $state<HTMLInputElement | null>(null);
  const version = $derived(overview.versions.find((each) => each.id === carried.chosen));
  const brought = $derived(overview.brought);
  const missing = $derived(brought?.missing.join(t(' and ')));

  function chosen(picker: HTMLInputElement | null, path: 'brought' | 'brought/equalizer'): void {
    const file = picker?.files?.[0];
    if (file) void desk.attempt(() => sendFileTo(path, file));
    if (picker) picker.value = '';
  }

  function describe(id: number, name: string, note: string): void {
    void desk.do('patch', '/api/versions/{id}', { params: { path: { id } }, body: { name, note } });
  }
</script>

{#if brought}
  <Fact name="Nothing is changed yet" value="" mark="good">
    “{brought.title || brought.name}” is only open for a look. Your calibration stays, and is saved as a version when
    you bring this over.
  </Fact>
  {#if brought.missing.length}
    <Fact name="Takes are missing" value="" mark="fault">
      Record {missing}. Until then, what is measured here is unknown.
    </Fact>
  {/if}
  {#if brought.other_microphone && brought.microphone}
    <Fact name="Another microphone" value="">
      It was made with “{brought.microphone}”. The equalizer is fitted anew, to the same target, so that your voice
      sounds the same.
    </Fact>
  {/if}
  <div class="do">
    <Button primary disabled={desk.busy} onclick={() => void desk.do('post', '/api/brought/over')}>Bring it over</Button
    >
    <Button disabled={desk.busy} onclick={() => void desk.do('delete', '/api/brought')}>Leave</Button>
  </div>
{:else}
  {#if version}
    {@const id = version.id}
    <div class="name">
      <label
        >Name of version {version.number}
        <input
          maxlength="80"
          value={version.name}
          onchange={(event) => describe(id, event.currentTarget.value, version.note)}
        />
      </label>
      <label
        >Note
        <textarea
          maxlength="1000"
          rows="2"
          value={version.note}
          onchange={(event) => describe(id, version.name, event.currentTarget.value)}
        ></textarea>
      </label>
    </div>
    <div class="do">
      <Button
        primary={!version.in_force}
        disabled={desk.busy || version.in_force}
        title="What you have now is saved as a version too"
        onclick={() => void desk.do('post', '/api/versions/{id}/bring-back', { params: { path: { id } } })}
        >Bring it back</Button
      >
      <Button disabled={desk.busy || version.in_force} onclick={() => chosenPair.hear(`version:${id}`)}
        >Compare blind</Button
      >
      <a href="/api/versions/{id}/file" download>Save as a file</a>
      <button
        type="button"
        class="link"
        onclick={() => {
          carried.leave();
          void desk.do('delete', '/api/versions/{id}', { params: { path: { id } } });
        }}>Remove</button
      >
    </div>
  {/if}
  <Fact name="Save" value="">
    One open file holds the rig, the readings, every setting with its because, and the proofs.
    <span class="links">
      <a href="/api/calibration" download>Save as a file</a>
      <a href="/api/calibration/zip" download>Save with takes</a>
      <a href="/api/calibration/schema" download>Schema of the file</a>
    </span>
  </Fact>
  <Fact name="Bring in" value="">
    You look at a calibration from elsewhere first. Taste, targets and character travel; gain, thresholds and the noise
    profile are measured here.
  </Fact>
  <div class="do">
    <Button disabled={desk.busy} onclick={() => calibration?.click()}>Bring in a file</Button>
  </div>
  <Fact name="An equalizer of another program" value="">
    Biquads as text, a two-column curve of Hz and dB, or an impulse response as WAV become a further equalizer.
  </Fact>
  <div class="do">
    <Button disabled={desk.busy || !overview.delivery} onclick={() => equalizer?.click()}>Import an equalizer</Button>
  </div>
{/if}
<input
  class="hidden-text"
  type="file"
  tabindex="-1"
  aria-label="Calibration file"
  accept=".json,.zip"
  bind:this={calibration}
  onchange={() => chosen(calibration, 'brought')}
/>
<input
  class="hidden-text"
  type="file"
  tabindex="-1"
  aria-label="Equalizer file"
  accept=".txt,.csv,.wav,.flac"
  bind:this={equalizer}
  onchange={() => chosen(equalizer, 'brought/equalizer')}
/>

<style>
  .do,
  .links {
    display: flex;
    flex-wrap: wrap;
    gap: 8px 14px;
    align-items: center;
    padding: 10px 0;
  }
  .links {
    padding: 6px 0 0;
    font-weight: 600;
  }
  .name,
  label {
    display: flex;
    flex-direction: column;
    gap: 4px;
  }
  .name {
    gap: 10px;
  }
  label {
    color: var(--quiet-ink);
    font-size: 13px;
  }
  input,
  textarea {
    width: 100%;
    background: transparent;
  }
  .hidden-text {
    width: 1px;
  }
</style>
