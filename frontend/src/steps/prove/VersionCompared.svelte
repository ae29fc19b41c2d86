<script lang="ts">
  import { t } from '../../lib/words';
  import type { Compared, Version } from '../../lib/api';
  import { level, signed } from '../../lib/format';
  import { chosenPair } from './chosen-pair.svelte';
  import TonePicture from './TonePicture.svelte';

  /** A version beside what is in force now: settings that differ, what both plan, and the tone between them. */
  interface Props {
    version: Version;
    compared: Compared | null;
  }
  let { version, compared }: Props = $props();
  /** One button a stage, where it is first named. */
  const firsts = $derived(
    (compared?.settings ?? []).filter((row, k, all) => all.findIndex((each) => each.stage === row.stage) === k),
  );
  const most = $derived(Math.max(0, ...(compared?.db ?? []).map(Math.abs)));
  const said = (value: number | null, unit: string) => (value === null ? t('unknown') : `${level(value)} ${unit}`);
  import Across from '../../parts/Across.svelte';
</script>

{#if !compared}
  <p role="status">Comparing…</p>
{:else if !compared.settings.length}
  <p>Every setting of version {version.number} is as it is now.</p>
{:else}
  <div>
    {#if most >= 0.1}
      <div class="picture">
        <TonePicture
          hz={compared.hz}
          db={compared.db}
          title={t('tone of now against version {number}', { number: version.number })}
        />
      </div>
    {/if}
    <Across label="What differs"
      ><table>
        <thead>
          <tr
            ><th scope="col">what differs</th><th scope="col">version {version.number}</th><th scope="col">now</th><td
            ></td></tr
          >
        </thead>
        <tbody>
          {#each compared.settings as row (row.stage + row.setting)}
            <tr>
              <th scope="row">{row.title}</th>
              <td class="num">{row.first ?? 'none'}</td>
              <td class="num bold">{row.second ?? 'none'}</td>
              <td>
                {#if firsts.includes(row)}
                  <button
                    type="button"
                    title="Hear this stage as it is now and as version {version.number} set it, blind"
                    onclick={() =>
                      chosenPair.hear(
                        `stage:${row.stage}@${version.id}`,
                        t('{title}: today against version {number}', { title: row.title, number: version.number }),
                      )}>Hear</button
                  >
                {/if}
              </td>
            </tr>
          {/each}
          {#each compared.plans as row (row.title)}
            {#if row.first !== row.second}
              <tr>
                <th scope="row">{row.title}, predicted</th>
                <td class="num">{said(row.first, row.unit)}</td>
                <td class="num bold">{said(row.second, row.unit)}</td>
                <td></td>
              </tr>
            {/if}
          {/each}
        </tbody>
      </table></Across
    >
    {#if most < 0.1}<p class="soft">Their tone is the same within {signed(0.1)} dB.</p>{/if}
  </div>
{/if}

<style>
  .picture {
    height: 180px;
    margin-bottom: 8px;
  }
  table {
    width: 100%;
    border-collapse: collapse;
    font-size: 13px;
  }
  th,
  td {
    padding: 4px 10px 4px 0;
    border-bottom: 1px solid var(--rule);
    text-align: left;
    vertical-align: baseline;
  }
  thead th {
    color: var(--quiet-ink);
  }
  button {
    padding: 0 8px;
    border: 1px solid var(--edge);
    border-radius: 2px;
    background: transparent;
    font-size: 12px;
    cursor: pointer;
  }
  .bold {
    font-weight: 700;
  }
  .soft {
    margin-top: 8px;
    color: var(--quiet-ink);
  }
</style>
