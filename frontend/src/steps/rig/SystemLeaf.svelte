<script lang="ts">
  import type { ComputerChange, Device, Overview } from '../../lib/api';
  import { desk } from '../../lib/state.svelte';
  import Mark from '../../parts/Mark.svelte';
  import { typing, typingNumber } from '../../lib/typing.svelte';
  import AuditList from './AuditList.svelte';

  /** The sound settings of this computer as its sound server tells them; what a program may set can be set here. */
  let { overview }: { overview: Overview } = $props();

  const computer = $derived(overview.computer);
  const DIRECTIONS = [
    { value: 'input', title: 'Inputs' },
    { value: 'output', title: 'Outputs' },
  ] as const;

  function set(device: Device, field: ComputerChange['field'], value: number | boolean): void {
    void desk.do('patch', '/api/computer', { body: { device_id: device.id, field, value } });
  }

  function name(device: Device, text: string): void {
    void desk.do('put', '/api/computer/names', { body: { device_id: device.id, own_name: text.trim() || null } });
  }
</script>

{#if computer.missing}
  <p class="missing"><Mark kind="fault" /> <span>{computer.missing}</span></p>
  <p>
    Then this page shows the devices of this computer, and programs can pick your treated voice. Until then sound comes
    from the browser’s microphone or from files.
  </p>
{:else}
  {#if overview.rig.source === 'system' || computer.devices.some((device) => device.of_rig)}
    <AuditList findings={computer.findings} />
  {/if}
  {#each DIRECTIONS as direction (direction.value)}
    <table>
      <thead>
        <tr>
          <th scope="col">{direction.title}</th>
          <th scope="col">Your name</th>
          <th scope="col">Rate</th>
          <th scope="col">Depth</th>
          <th scope="col">Slider</th>
          <th scope="col">Muted</th>
          <th scope="col">Default</th>
        </tr>
      </thead>
      <tbody>
        {#each computer.devices.filter((d) => d.direction === direction.value) as device (device.key)}
          <tr>
            <th scope="row">
              {device.system_name}
              {#if device.of_rig}<em>this rig</em>
              {:else if direction.value === 'input'}
                <button
                  type="button"
                  class="choose"
                  onclick={() => void desk.do('post', '/api/computer/rig', { body: { device_id: device.id } })}
                  >use in this rig</button
                >
              {/if}
              {#if device.processing}<em>{device.processing}</em>{/if}
              {#if !device.enabled}<em>nothing plugged in</em>{/if}
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
            <td class="num">{device.rate_hz / 1000} kHz</td>
            <td class="num">{device.bits} bit</td>
            <td>
              <input
                class="percent"
                type="number"
                min="0"
                max="100"
                aria-label="Slider of {device.system_name}, percent"
                {@attach typingNumber(
                  () => device.slider_percent,
                  (percent) => set(device, 'slider_percent', percent),
                )}
              /> %
            </td>
            <td>
              <input
                type="checkbox"
                aria-label="{device.system_name} is muted"
                checked={device.muted}
                onchange={(event) => set(device, 'muted', event.currentTarget.checked)}
              />
            </td>
            <td>
              <input
                type="radio"
                name="default-{direction.value}"
                aria-label="{device.system_name} is the default {direction.value}"
                checked={device.is_default}
                onchange={() => set(device, 'is_default', true)}
              />
            </td>
          </tr>
        {:else}
          <tr><td colspan="7" class="none">None is plugged in.</td></tr>
        {/each}
      </tbody>
    </table>
  {/each}
  <p>
    As {computer.server} tells them. What is set here is set for every program of this computer, and can be undone; rate and
    depth are set in the system’s own settings.
  </p>
{/if}

<style>
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
    background: none;
    color: var(--quiet-ink);
    font-size: 12px;
    text-decoration: underline;
    cursor: pointer;
  }
  em {
    padding: 0 4px;
    border: 1px solid var(--ink);
    font-size: 11px;
    font-style: normal;
    white-space: nowrap;
  }
  .name {
    width: 88px;
  }
  .percent {
    width: 52px;
  }
  input:not([type='checkbox'], [type='radio']) {
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
