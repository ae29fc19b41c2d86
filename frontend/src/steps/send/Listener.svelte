<script lang="ts">
  import { counted, t } from '../../lib/words';
  import { withUnit } from '../../lib/format';
  import type { Destination, Overview } from '../../lib/api';
  import { place } from '../../lib/place.svelte';
  import { playback } from '../../lib/playback.svelte';
  import { desk } from '../../lib/state.svelte';
  import Mark from '../../parts/Mark.svelte';
  import FeedName from './FeedName.svelte';
  import MixPicture from './MixPicture.svelte';
  import PickChoice from './PickChoice.svelte';

  /** One listener: what it picked, what arrives against its aim, what is kept out, and the checks. */
  interface Props {
    destination: Destination;
    overview: Overview;
    chosen: boolean;
    /** Many stand beside each other: of each only what is not well, of the chosen one all but its mix, which stands in the slip. */
    dense?: boolean;
  }
  let { destination, overview, chosen, dense = false }: Props = $props();
  const brief = $derived(dense && !chosen);

  const live = $derived(overview.run.live);
  const real = $derived(!overview.computer.simulated);
  const level = $derived(desk.live?.to?.[destination.key] ?? null);
  function mute(on: boolean, push: boolean): void {
    void desk.do('put', '/api/run/mute', { body: { key: destination.key, on, push } });
  }
  const HEARING = { heard: t('Hear what it hears'), sent: t('what it is sent'), returned: t('its return') } as const;
  const offered = $derived(destination.sounds);
  const name = $derived((what: keyof typeof HEARING) =>
    offered.length > 1 ? HEARING[what] : t('Hear what it is sent'),
  );
</script>

<section class:chosen class:dense aria-label={destination.name}>
  <h3>
    <button type="button" aria-pressed={chosen} onclick={() => (place.listener = destination.key)}
      >{destination.name}</button
    >
    {#if live && level !== null}<span class="num">{withUnit(level, 'dBFS', 0)}</span>{/if}
  </h3>
  {#if real && (destination.feed || destination.kind === 'headphones')}
    <FeedName {destination} {overview} />
  {:else if destination.feed}
    <PickChoice {destination} inputs={overview.inputs} />
  {:else}
    <p class="what">
      {destination.kind === 'recorder'
        ? counted(
            overview.recorder.files.length,
            '{format}, 24 bit, {count} track',
            '{format}, 24 bit, {count} tracks',
            {
              format: overview.recorder.format === 'wav' ? 'WAV' : 'FLAC',
            },
          )
        : t('is played to, chooses nothing')}
    </p>
  {/if}
  {#if destination.mix && !dense}<MixPicture name={destination.name} mix={destination.mix} />{/if}
  <ul>
    {#each destination.checks.filter((check, i) => !brief || !i || check.mark !== 'good') as check (check.sentence)}
      <li>
        <Mark kind={check.mark} />
        <span>
          {#if check.mark === 'fault'}<strong>{check.sentence}</strong>{:else}{check.sentence}{/if}
          {#if check.detail && !dense}<span class="soft">{check.detail}</span>{/if}
          {#if check.advice && !brief}<span class="soft">{check.advice}</span>{/if}
        </span>
      </li>
    {/each}
    {#each (destination.mix?.facts ?? []).filter((fact) => !dense || fact.mark === 'fault') as fact (fact.name)}
      <li><Mark kind={fact.mark} /> <span>{fact.sentence}</span></li>
    {/each}
  </ul>
  {#if destination.feed && !brief}
    <p class="hear">
      <button
        type="button"
        class="link"
        aria-pressed={destination.muted}
        title={destination.mute_reaches
          ? undefined
          : t('It uses the microphone itself, so a mute here does not reach it')}
        onclick={() => mute(!destination.muted, false)}>{destination.muted ? t('Unmute') : t('Mute')}</button
      >
      <button type="button" class="link" aria-pressed={destination.push} onclick={() => mute(!destination.push, true)}
        >{destination.push ? t('Always open') : t('Push to talk')}</button
      >
      {#if destination.muted}<span class="soft">your voice is kept out</span>{/if}
    </p>
  {/if}
  {#if offered.length && !brief}
    <p class="hear">
      {#each offered as what (what)}
        {@const id = `${destination.key}/${what}`}
        <button
          type="button"
          class="link"
          disabled={!live}
          aria-pressed={playback.playing === id}
          onclick={() =>
            playback.playing === id ? playback.stopSound() : playback.hearListener(destination.key, what)}
          >{playback.playing === id ? t('Stop') : name(what)}</button
        >
      {/each}
    </p>
  {/if}
</section>

<style>
  section {
    min-width: 0;
    padding: 4px 14px 12px;
    border-left: 1px solid var(--rule);
    border-top: 3px solid transparent;
  }
  section.dense {
    padding-bottom: 6px;
  }
  section.chosen {
    border-top-color: var(--ink);
  }
  h3 {
    display: flex;
    gap: 8px;
    align-items: baseline;
    font-size: 16px;
  }
  h3 button {
    flex: 1;
    min-width: 0;
    min-height: 24px;
    padding: 0;
    border: 0;
    background: none;
    font: inherit;
    text-align: left;
    cursor: pointer;
  }
  h3 .num {
    font-size: 12px;
  }
  .what {
    margin: 2px 0 8px;
    color: var(--quiet-ink);
    font-size: 13px;
    line-height: 28px;
  }
  ul {
    margin: 6px 0 8px;
  }
  li {
    display: flex;
    gap: 9px;
    padding: 2px 0;
    font-size: 13px;
  }
  li :global(svg) {
    flex: none;
    margin-top: 3px;
  }
  .soft {
    display: block;
    color: var(--quiet-ink);
    font-size: 12.5px;
  }
  .hear {
    display: flex;
    flex-wrap: wrap;
    gap: 2px 12px;
    font-size: 13px;
  }
  .hear button:enabled {
    font-weight: 600;
  }
</style>
