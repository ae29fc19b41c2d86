<script lang="ts">
  import { t } from './lib/words';
  import { onMount } from 'svelte';
  import { act, readListener, Refusal, sendListener, type ListenerState } from './lib/api';
  import { LiveCapture } from './lib/capture';
  import { withUnit } from './lib/format';
  import Button from './parts/Button.svelte';
  import Mark from './parts/Mark.svelte';
  import Patterns from './parts/Patterns.svelte';

  /** Stands in for a call: picks an input in this browser, and proves what arrives. */
  let inputs = $state<MediaDeviceInfo[]>([]);
  let chosen = $state('');
  let capture = $state<LiveCapture | null>(null);
  let told = $state<ListenerState | null>(null);
  let trouble = $state<string | null>(null);
  const feeds = $derived(told?.feeds ?? []);
  const ours = $derived(
    inputs.filter((input) => input.label.startsWith('Wren') || feeds.some((feed) => input.label.includes(feed))),
  );
  const marker = $derived(told?.marker ?? false);

  function say(error: unknown): void {
    trouble = error instanceof Refusal ? error.message : t('This failed. Load the page again.');
  }

  async function list(): Promise<void> {
    try {
      // Labels are told only to a page that may listen.
      const asked = await navigator.mediaDevices.getUserMedia({ audio: true });
      asked.getTracks().forEach((track) => track.stop());
    } catch {
      trouble = t(
        'The browser was not allowed to use the microphone. Allow it in the address bar, then load the page again.',
      );
      return;
    }
    const devices = await navigator.mediaDevices.enumerateDevices();
    inputs = devices.filter((device) => device.kind === 'audioinput');
    if (!inputs.some((input) => input.deviceId === chosen)) chosen = (ours[0] ?? inputs[0])?.deviceId ?? '';
  }

  async function listen(): Promise<void> {
    trouble = null;
    await leave();
    const opened = new LiveCapture(sendListener, chosen);
    try {
      await opened.start(
        async (rateHz) => {
          await act('post', '/api/listener', { body: { label: opened.label, rate_hz: Math.round(rateHz) } });
          return true;
        },
        (sentence, why) => {
          void leave();
          if (sentence) trouble = sentence;
          else if (why) say(why);
        },
      );
      capture = opened;
    } catch (error) {
      say(error);
    }
  }

  async function leave(): Promise<void> {
    const was = capture;
    capture = null;
    if (!was) return;
    await was.stop();
    await act('post', '/api/listener/end').catch(() => undefined);
  }

  async function prove(): Promise<void> {
    trouble = null;
    await act('post', '/api/marker').catch(say);
  }

  onMount(() => {
    void list();
    const follow = () => void list();
    navigator.mediaDevices.addEventListener('devicechange', follow);
    const looking = setInterval(() => {
      readListener()
        .then((state) => (told = state))
        .catch(say);
    }, 400);
    return () => {
      clearInterval(looking);
      navigator.mediaDevices.removeEventListener('devicechange', follow);
    };
  });
</script>

<svelte:head><title>Listener: Obsidian Wren</title></svelte:head>

<Patterns />
<main>
  <h1>Listener</h1>
  <p>
    This page stands in for a call: it opens a microphone in this browser, with the browser’s own processing off, and
    says what arrives. Anything it hears, a call would hear.
  </p>
  <label>
    Microphone
    <select bind:value={chosen} onchange={() => capture && void listen()}>
      {#each inputs as input (input.deviceId)}<option value={input.deviceId}
          >{input.label || t('without a name')}</option
        >{/each}
    </select>
  </label>
  <div class="row">
    {#if capture}
      <Button onclick={() => void leave()}>Stop listening</Button>
      <Button primary disabled={!told?.live || marker} onclick={() => void prove()}
        >{marker ? t('The marker is on its way…') : t('Prove what arrives')}</Button
      >
    {:else}
      <Button primary disabled={!chosen} onclick={() => void listen()}>Listen</Button>
    {/if}
  </div>
  <ul aria-live="polite">
    {#if trouble}<li><Mark kind="fault" /> <strong>{trouble}</strong></li>{/if}
    {#if told && !told.live}
      <li><Mark kind="none" /> <span>Not live: the feeds are silent. Start live in Send.</span></li>
    {/if}
    {#if told?.simulated}
      <li>
        <Mark kind="fault" />
        <span
          >Everything here is simulated, so no browser can choose its feeds. Start “obsidian-wren serve” for your own
          computer.</span
        >
      </li>
    {:else if !ours.length}
      <li>
        <Mark kind="none" />
        <span>This browser lists no feed. Take a listener into use in Send; it appears here by itself.</span>
      </li>
    {/if}
    {#if capture && told}
      <li>
        <Mark kind={told.level_dbfs === null ? 'none' : 'good'} />
        <span
          >Hears “{told.label}”{told.level_dbfs === null
            ? ': silence'
            : t(' at {level_dbfs} now', { level_dbfs: withUnit(told.level_dbfs, 'dBFS') })}</span
        >
      </li>
      {#each told.proof?.verdicts ?? [] as verdict (verdict.code)}
        <li>
          <Mark kind={verdict.mark === 'note' ? 'none' : verdict.mark} />
          <span>
            {#if verdict.mark === 'fault'}<strong>{verdict.sentence}</strong>{:else}{verdict.sentence}{/if}
            {#if verdict.advice}<span class="soft">{verdict.advice}</span>{/if}
          </span>
        </li>
      {/each}
      {#if told.proof?.feed}
        <li>
          <Mark kind="none" />
          <span class="soft">The browser’s own delay is unknown, so it is not included.</span>
        </li>
      {/if}
    {/if}
  </ul>
</main>

<style>
  main {
    max-width: 640px;
    padding: 28px 20px;
    margin: 0 auto;
  }
  h1 {
    font-size: 24px;
  }
  p {
    margin: 6px 0 14px;
    color: var(--quiet-ink);
  }
  label {
    display: flex;
    gap: 10px;
    align-items: center;
    font-weight: 600;
  }
  select {
    flex: 1;
    min-width: 0;
    min-height: 34px;
  }
  .row {
    display: flex;
    gap: 10px;
    margin: 14px 0;
  }
  ul {
    padding: 0;
    margin: 0;
    list-style: none;
  }
  li {
    display: flex;
    gap: 9px;
    padding: 7px 0;
    border-bottom: 1px solid var(--rule);
  }
  li :global(svg) {
    flex: none;
    margin-top: 4px;
  }
  .soft {
    display: block;
    color: var(--quiet-ink);
    font-size: 14px;
  }
</style>
