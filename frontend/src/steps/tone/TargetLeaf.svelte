<script lang="ts">
  import { t } from '../../lib/words';
  import { act, sendFileTo, type Overview, type Taste, type Tone, type Preferences } from '../../lib/api';
  import { signed } from '../../lib/format';
  import { place } from '../../lib/place.svelte';
  import { playback } from '../../lib/playback.svelte';
  import { typingNumber } from '../../lib/typing.svelte';
  import { desk } from '../../lib/state.svelte';
  import { TASTE_NAMES } from './taste';
  import CorridorPicture from './CorridorPicture.svelte';

  /** Which target the corridor follows, and four broad moves that bend it. */
  interface Props {
    overview: Overview;
    tone: Tone;
  }
  let { overview, tone }: Props = $props();
  const preferences = $derived(overview.preferences);
  const target = $derived({
    kind: preferences.target?.kind ?? ('by pitch' as const),
    id: preferences.target?.id ?? null,
  });
  const reference = $derived(overview.takes.some((take) => take.purpose === 'reference' && take.current));
  let picker = $state<HTMLInputElement | null>(null);

  const taste = $derived<Taste>(
    preferences.taste ?? { warmth_db: 0, body_db: 0, clarity_db: 0, air_db: 0, density_db: 0 },
  );
  const found = $derived(preferences.found ?? null);

  /** How far the voice itself is shaped: not at all unless a person says so, or a curve is to be followed. */
  const shape = $derived(preferences.shape_percent ?? (target.kind === 'imported' ? 100 : 0));
  const shapeable = $derived(target.kind !== 'reference take');

  function shapeTo(percent: number): void {
    void desk
      .do('put', '/api/preferences', { body: { ...preferences, shape_percent: percent } })
      .then(() => playback.hearAgain());
  }

  function bend(name: keyof Taste, value: number): void {
    // On top of whatever was bent before its turn comes.
    void desk
      .attempt(() => {
        const now: Preferences = desk.overview?.preferences ?? preferences;
        const body = { ...now, taste: { ...now.taste, [name]: value }, found: null };
        return act('put', '/api/preferences', { body });
      })
      .then(() => playback.hearAgain());
  }

  function choose(select: HTMLSelectElement): void {
    const [kind = '', id] = select.value.split('/');
    if (kind === 'import') {
      select.value = target.id === null ? target.kind : `${target.kind}/${target.id}`;
      picker?.click();
      return;
    }
    const chosen = { kind: kind as typeof target.kind, id: id ? Number(id) : null };
    // Another target is followed as far as is usual for its kind.
    void desk.do('put', '/api/preferences', { body: { ...preferences, target: chosen, shape_percent: null } });
  }

  function importFile(): void {
    const file = picker?.files?.[0];
    if (file) void desk.attempt(() => sendFileTo('targets', file));
    if (picker) picker.value = '';
  }
</script>

<div class="leaf">
  <div class="choices">
    <label class="target">
      Target
      <select
        value={target.id === null ? target.kind : `${target.kind}/${target.id}`}
        onchange={(event) => choose(event.currentTarget)}
      >
        <option value="by pitch">average speech, by your pitch</option>
        <option value="lower voice">average speech, lower voices</option>
        <option value="higher voice">average speech, higher voices</option>
        <option value="reference take" disabled={!reference}
          >your reference take{reference ? '' : t(' (record one first)')}</option
        >
        {#each overview.targets as entry (entry.id)}<option value="imported/{entry.id}">{entry.name}</option>{/each}
        <option value="import">a file: Hz and dB in two columns…</option>
      </select>
    </label>
    {#if shapeable}
      <fieldset>
        <legend>Purpose</legend>
        <label
          ><input type="radio" name="purpose" checked={shape === 0} onchange={() => shapeTo(0)} /> Correct the rig</label
        >
        <label
          ><input type="radio" name="purpose" checked={shape > 0} onchange={() => shapeTo(100)} /> Shape the voice</label
        >
        {#if shape > 0}
          <label class="strength">
            <input
              type="number"
              min="5"
              max="100"
              step="5"
              aria-label="How far the voice is shaped, percent"
              {@attach typingNumber(
                () => shape,
                (percent) => shapeTo(Math.min(100, Math.max(0, percent))),
              )}
            /> % of the way
          </label>
        {/if}
      </fieldset>
    {/if}
    <input
      bind:this={picker}
      type="file"
      accept=".txt,.csv,text/*"
      onchange={importFile}
      class="hidden-text"
      tabindex="-1"
      aria-label="Target file"
    />
    {#each TASTE_NAMES as [name, title, where] (name)}
      <label>
        {title} <span class="where">{where}</span>
        <b class="num">{signed(taste[name] ?? 0)} dB</b>
        <input
          type="range"
          min={name === 'density_db' ? -2 : -5}
          max={name === 'density_db' ? 2 : 5}
          step={name === 'density_db' ? 0.1 : 0.5}
          value={taste[name] ?? 0}
          aria-label={title}
          onchange={(event) => bend(name, Number(event.currentTarget.value))}
        />
      </label>
    {/each}
    <span class="where found"
      >{found
        ? t('Found by ear: you preferred it in {agrees} of {preferred} pairs.', {
            agrees: found.agrees,
            preferred: found.preferred,
          })
        : t('Not sure? Find your sound by ear.')}
      <button type="button" class="link" onclick={() => (place.leaf.tone = 'find')}>Find your sound</button></span
    >
  </div>
  <div class="picture"><CorridorPicture {tone} /></div>
</div>

<style>
  .leaf {
    display: flex;
    flex-direction: column;
    height: 100%;
  }
  .choices {
    flex: none;
    display: flex;
    flex-wrap: wrap;
    gap: 6px 18px;
    align-items: end;
    font-size: 13px;
  }
  .target {
    flex-basis: 100%;
  }
  fieldset {
    flex-basis: 100%;
    display: flex;
    flex-wrap: wrap;
    gap: 4px 16px;
    align-items: center;
    padding: 0;
    border: 0;
  }
  legend {
    float: left;
    padding: 0;
    color: var(--quiet-ink);
  }
  .strength input {
    width: 62px;
  }
  label {
    display: block;
  }
  .where {
    color: var(--quiet-ink);
  }
  input[type='range'] {
    display: block;
    width: 150px;
    accent-color: var(--ink);
  }
  .picture {
    flex: 1 0 200px;
    min-height: 0;
  }
</style>
