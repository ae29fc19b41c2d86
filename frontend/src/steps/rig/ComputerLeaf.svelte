<script lang="ts">
  import { rate as rateSaid } from '../../lib/format';
  import { codeWord } from '../../lib/code-words';
  import { t } from '../../lib/words';
  import type { ComputerChange, Device, Overview } from '../../lib/api';
  import { desk } from '../../lib/state.svelte';
  import { typing, typingNumber } from '../../lib/typing.svelte';
  import Mark from '../../parts/Mark.svelte';
  import AuditList from './AuditList.svelte';

  /** The sound settings of the computer: all of a stand-in's; of a real one what its sound server tells, and lets a program set. */
  let { overview }: { overview: Overview } = $props();

  const computer = $derived(overview.computer);
  const simulated = $derived(computer.simulated);
  /** A rig on the browser's microphone may have no device here. */
  const audited = $derived(
    simulated || overview.rig.source === 'system' || computer.devices.some((device) => device.of_rig),
  );
  const DIRECTIONS = [
    { value: 'input', title: t('Inputs') },
    { value: 'output', title: t('Outputs') },
  ] as const;

  function set(device: Device, field: ComputerChange['field'], value: number | boolean): void {
    void desk.do('patch', '/api/computer', { body: { device_id: device.id, field, value } });
  }

  function may(device: Device, field: ComputerChange['field']): boolean {
    return device.present && (device.settable?.includes(field) ?? true);
  }

  function name(device: Device, text: string): void {
    void desk.do('put', '/api/computer/names', { body: { device_id: device.id, own_name: text.trim() || null } });
  }
  import Across from '../../parts/Across.svelte';
</script>

{#if computer.missing}
  <p class="missing"><Mark kind="fault" /> <span>{computer.missing}</span></p>
  <p>
    Then this page shows the devices of this computer, and programs can choose your treated voice. Until then the source
    is the browser’s microphone or files.
  </p>
{:else if audited}
  <AuditList findings={computer.findings} />
{/if}
{#each computer.missing ? [] : DIRECTIONS as direction (direction.value)}
  <Across label={direction.title}
    ><table>
      <thead>
        <tr>
          <th scope="col">{direction.title}</th>
          <th scope="col">Your name</th>
          <th scope="col">Rate</th>
          <th scope="col">Depth</th>
          <th scope="col">Slider</th>
          {#if simulated}
            <th scope="col">Enhancements</th>
            {#if direction.value === 'input'}<th scope="col">Auto gain</th>{:else}<td></td>{/if}
          {:else}
            <th scope="col">Muted</th>
          {/if}
          <th scope="col">Default</th>
          {#if simulated}<th scope="col"><span class="hidden-text">Plug</span></th>{/if}
        </tr>
      </thead>
      <tbody>
        {#each computer.devices.filter((d) => d.direction === direction.value) as device (device.key)}
          {@const here = device.present}
          <tr class:gone={!here}>
            <th scope="row">
              {device.system_name}
              {#if device.of_rig}<em>this rig</em>
              {:else if here && direction.value === 'input'}
                <button
                  type="button"
                  class="choose"
                  onclick={() => void desk.do('post', '/api/computer/rig', { body: { device_id: device.id } })}
                  >use in this rig</button
                >
              {/if}
              {#if !here}<em>unplugged</em>{:else if !device.enabled}<em>nothing plugged in</em>{/if}
              {#if device.processing}<em>{device.processing}</em>{/if}
            </th>
            <td>
              <input
                class="name"
                aria-label="Your name for {device.system_name}"
                placeholder="none"
                {@attach typing(
                  () => device.own_name ?? '',
                  (text) => name(device, text),
                )}
              />
            </td>
            <td>
              {#if !may(device, 'rate_hz') && here}<span class="num">{rateSaid(device.rate_hz)}</span>{:else}<select
                  aria-label="Rate of {device.system_name}"
                  disabled={!here}
                  value={String(device.rate_hz)}
                  onchange={(event) => set(device, 'rate_hz', Number(event.currentTarget.value))}
                >
                  {#each [44100, 48000, 96000] as rate (rate)}<option value={String(rate)}>{rateSaid(rate)}</option
                    >{/each}
                </select>{/if}
            </td>
            <td>
              {#if !may(device, 'bits') && here}<span class="num">{device.bits} bit</span>{:else}<select
                  aria-label="Depth of {device.system_name}"
                  disabled={!here}
                  value={String(device.bits)}
                  onchange={(event) => set(device, 'bits', Number(event.currentTarget.value))}
                >
                  {#each [16, 24] as bits (bits)}<option value={String(bits)}>{bits} bit</option>{/each}
                </select>{/if}
            </td>
            <td>
              <input
                class="percent"
                type="number"
                min="0"
                max="100"
                aria-label="Slider of {device.system_name}, percent"
                disabled={!may(device, 'slider_percent')}
                {@attach typingNumber(
                  () => device.slider_percent,
                  (percent) => set(device, 'slider_percent', percent),
                )}
              /> %
            </td>
            {#if simulated}
              <td>
                <input
                  type="checkbox"
                  aria-label="Enhancements of {device.system_name}"
                  disabled={!here}
                  checked={device.enhancements}
                  onchange={(event) => set(device, 'enhancements', event.currentTarget.checked)}
                />
              </td>
              <td>
                {#if direction.value === 'input'}
                  <input
                    type="checkbox"
                    aria-label="Auto gain of {device.system_name}"
                    disabled={!here}
                    checked={device.auto_gain}
                    onchange={(event) => set(device, 'auto_gain', event.currentTarget.checked)}
                  />
                {/if}
              </td>
            {:else}
              <td>
                <input
                  type="checkbox"
                  aria-label="{device.system_name} is muted"
                  disabled={!may(device, 'muted')}
                  checked={device.muted}
                  onchange={(event) => set(device, 'muted', event.currentTarget.checked)}
                />
              </td>
            {/if}
            <td>
              <input
                type="radio"
                name="default-{direction.value}"
                aria-label="{device.system_name} is the default {codeWord(direction.value)}"
                disabled={!may(device, 'is_default')}
                checked={device.is_default}
                onchange={() => set(device, 'is_default', true)}
              />
            </td>
            {#if simulated}
              <td>
                <button
                  type="button"
                  onclick={() =>
                    void desk.do('post', here ? '/api/computer/unplug' : '/api/computer/plug', {
                      body: { device_id: device.id },
                    })}>{here ? t('Unplug') : t('Plug in')}</button
                >
              </td>
            {/if}
          </tr>
        {:else}
          <tr><td colspan="9" class="none">None is plugged in.</td></tr>
        {/each}
      </tbody>
    </table></Across
  >
{/each}
{#if simulated}
  <p>These are the sound settings of a simulated computer: change them as you would change your own.</p>
{:else if !computer.missing}
  <p>
    As reported by {computer.server}. Changes here apply to every program on this computer and can be undone; rate and
    depth are set in the system’s own settings.
  </p>
{/if}
{#if computer.login}
  <p class="login">
    <label
      ><input
        type="checkbox"
        checked={computer.login.on}
        disabled={computer.login.why_not !== null && !computer.login.on}
        onchange={(event) => void desk.do('put', '/api/computer/login', { body: { on: event.currentTarget.checked } })}
      /> Start Obsidian Wren at login</label
    >
    <span class="soft"
      >{computer.login.why_not ??
        (computer.login.on
          ? t('By {path}; uncheck it, and the file is taken away.', { path: computer.login.path })
          : t('Writes {path}.', { path: computer.login.path }))}</span
    >
  </p>
{/if}

<style>
  button {
    min-height: 26px;
    padding: 0 8px;
    border: 1px solid var(--edge);
    border-radius: 2px;
    background: none;
    font-size: 13px;
    white-space: nowrap;
    cursor: pointer;
  }
  .login {
    display: flex;
    flex-wrap: wrap;
    gap: 4px 12px;
    align-items: baseline;
    margin-top: 10px;
  }
  .soft {
    color: var(--quiet-ink);
    font-size: 13px;
    overflow-wrap: anywhere;
  }
  table {
    width: 100%;
    margin-bottom: 12px;
    border-collapse: collapse;
    font-size: 13px;
  }
  th,
  td {
    padding: 3px 6px 3px 0;
    border-bottom: 1px solid var(--rule);
    font-weight: 400;
    text-align: left;
    white-space: nowrap;
  }
  thead th {
    color: var(--quiet-ink);
    font-size: 12px;
  }
  tbody th {
    white-space: normal;
  }
  .choose {
    min-height: 0;
    padding: 0 2px;
    border: 0;
    color: var(--quiet-ink);
    font-size: 12px;
    text-decoration: underline;
  }
  em {
    padding: 0 4px;
    border: 1px solid var(--ink);
    font-size: 11px;
    font-style: normal;
    white-space: nowrap;
  }
  .gone th,
  .gone td {
    color: var(--quiet-ink);
  }
  .name {
    width: 88px;
  }
  .percent {
    width: 52px;
  }
  input:not([type='checkbox'], [type='radio']),
  select {
    min-height: 26px;
    font-size: 13px;
  }
  .num {
    font-size: 12px;
  }
  p,
  .none {
    color: var(--quiet-ink);
    font-size: 13px;
  }
  .missing {
    display: flex;
    gap: 9px;
    padding-bottom: 8px;
    color: var(--ink);
  }
</style>
