<script lang="ts">
  import { codeWord } from '../../lib/code-words';
  import { t } from '../../lib/words';
  import { sendResponse, type Microphone, type Overview } from '../../lib/api';
  import { desk } from '../../lib/state.svelte';
  import Button from '../../parts/Button.svelte';
  import Field from '../../parts/Field.svelte';
  import KeptChoice from './KeptChoice.svelte';
  import PatternPicture from './PatternPicture.svelte';
  import ResponsePicture from './ResponsePicture.svelte';

  interface Props {
    overview: Overview;
    microphone: Microphone;
  }
  let { overview, microphone }: Props = $props();

  let picker = $state<HTMLInputElement | null>(null);

  const KINDS: { value: Microphone['kind']; title: string }[] = [
    { value: 'condenser', title: t('condenser') },
    { value: 'dynamic', title: t('dynamic') },
    { value: 'ribbon', title: t('ribbon') },
    { value: 'headset', title: t('headset') },
    { value: 'usb', title: t('USB, own converter') },
  ];
  const PATTERNS = (['cardioid', 'supercardioid', 'omni', 'figure of eight'] as Microphone['pattern'][]).map(
    (value) => ({ value, title: codeWord(value) }),
  );

  function keep(change: Partial<Microphone>): void {
    void desk.keepMicrophone(microphone.id, change);
  }

  function choose(): void {
    const file = picker?.files?.[0];
    if (file) void desk.attempt(() => sendResponse(file));
    if (picker) picker.value = '';
  }
</script>

<div class="leaf">
  <div>
    <KeptChoice kind="microphone" things={overview.microphones} chosen={microphone.id} />
    <div class="fields">
      <Field label="Name" wide value={microphone.name} keep={(name) => keep({ name })} />
      <Field label="Kind" kind="choice" choices={KINDS} value={microphone.kind} keep={(kind) => keep({ kind })} />
      <Field
        label="Pattern"
        kind="choice"
        choices={PATTERNS}
        value={microphone.pattern}
        keep={(pattern) => keep({ pattern })}
      />
      <Field
        label="Sensitivity, mV/Pa"
        kind="number"
        value={microphone.sensitivity_mv_pa ?? null}
        keep={(value) => keep({ sensitivity_mv_pa: value })}
      />
      <Field
        label="Self-noise, dB(A)"
        kind="number"
        value={microphone.self_noise_dba ?? null}
        keep={(value) => keep({ self_noise_dba: value })}
      />
      <Field
        label="Maximum, dB SPL"
        kind="number"
        value={microphone.max_spl_db ?? null}
        keep={(value) => keep({ max_spl_db: value })}
      />
      <Field
        label="Needs phantom power"
        kind="known"
        value={microphone.needs_phantom ?? null}
        keep={(value) => keep({ needs_phantom: value })}
      />
    </div>
  </div>
  <div class="pattern">
    <PatternPicture outlook={overview.outlook} pattern={microphone.pattern} angle={overview.rig.angle_deg} />
  </div>
</div>
<div class="response">
  <h3>Response file</h3>
  <span class="file">
    {microphone.response_name ?? t('none: Tone is fitted from your voice alone')}
  </span>
  <input
    bind:this={picker}
    type="file"
    accept=".txt,.csv,.frd,.dat,.tsv,.cal,text/*"
    onchange={choose}
    class="hidden-text"
    tabindex="-1"
    aria-label="Response file"
  />
  <Button quiet onclick={() => picker?.click()}>Import…</Button>
  {#if microphone.response_name}
    <Button quiet onclick={() => void desk.do('delete', '/api/response')}>Remove it</Button>
    <a href="/api/response?what=microphone" download>Export it</a>
  {/if}
  {#if overview.tone}<a href="/api/response?what=correction" download>Export our correction</a>{/if}
</div>
{#if microphone.response_points.length}
  <div class="plot"><ResponsePicture points={microphone.response_points} /></div>
{:else}
  <p class="help">
    Two columns of text, Hz and dB, as makers and measurement people provide them; tab, comma, semicolon or space
    between them, comment lines allowed.
  </p>
{/if}

<style>
  .fields {
    display: grid;
    grid-template-columns: repeat(auto-fill, minmax(110px, 1fr));
    gap: 8px 14px;
    align-items: end;
    padding: 12px 0;
  }
  .response {
    display: flex;
    flex-wrap: wrap;
    gap: 6px 12px;
    align-items: center;
    padding: 8px 0;
    border-top: 1px solid var(--rule);
    font-size: 13px;
  }
  h3 {
    font-size: 15px;
  }
  .file {
    color: var(--quiet-ink);
  }
  .leaf {
    display: grid;
    grid-template-columns: repeat(auto-fit, minmax(min(100%, 330px), 1fr));
    gap: 8px 24px;
  }
  .pattern {
    min-height: 230px;
  }
  .plot {
    height: 150px;
  }
  a {
    color: var(--aim);
  }
  .help {
    color: var(--quiet-ink);
    font-size: 13px;
  }
</style>
