<script lang="ts">
  import { t } from '../lib/words';
  import { chosenKeys } from '../lib/chosen-keys.svelte';
  import { onAir } from '../lib/on-air.svelte';
  import { playback } from '../lib/playback.svelte';
  import { desk } from '../lib/state.svelte';
  import Button from './Button.svelte';
  import Hint from './Hint.svelte';
  import Key from './Key.svelte';

  /** Raw against treated: of a take, or live in headphones. */
  interface Props {
    /** Only these two, where there is little room. */
    few?: boolean;
  }
  let { few = false }: Props = $props();

  function heard(version: 'raw' | 'treated'): boolean {
    return playback.hearingLive ? playback.version === version : playback.playing === version;
  }

  function hear(version: 'raw' | 'treated'): void {
    if (playback.playing === version) playback.stopSound();
    else playback.hear(version);
  }
</script>

{#if playback.hearingLive}
  <Hint spoken
    >Headphones only: a loudspeaker would howl.{playback.behindMs === null
      ? ''
      : t(' {behindMs} ms behind you.', { behindMs: Math.round(playback.behindMs) })}</Hint
  >
{/if}
{#if !few}
  <Button
    quiet
    pressed={playback.matched}
    title="Play raw and treated equally loud ({chosenKeys.of('match').toUpperCase()})"
    onclick={() => playback.setMatched(!playback.matched)}>Match loudness</Button
  >
{/if}
{#if desk.overview?.rig.source !== 'file' && (!few || playback.hearingLive)}
  <Button
    quiet
    pressed={playback.hearingLive}
    title="Hear yourself in headphones, raw or treated, while you talk ({chosenKeys.of('live').toUpperCase()})"
    onclick={() => void onAir.hearLive()}>{playback.hearingLive ? t('Headphones off') : t('Hear live')}</Button
  >
{/if}
<Button pressed={heard('raw')} onclick={() => hear('raw')}>
  {playback.playing === 'raw' ? t('Stop') : t('Hear raw')}
</Button>
<Button disabled={!desk.treatable} pressed={heard('treated')} onclick={() => hear('treated')}>
  {playback.playing === 'treated' ? t('Stop') : t('Hear treated')}
</Button>
{#if !few}<Key does="flip" />{/if}
