<script lang="ts">
  import { t } from '../../lib/words';
  import type { Brought } from '../../lib/api';
  import { level } from '../../lib/format';

  /** A file that was brought in: what travels comes over, what belongs to a place is measured here. */
  interface Props {
    brought: Brought;
  }
  let { brought }: Props = $props();
  function number(value: number | null, unit: string): string {
    if (value === null) return '–';
    return unit === 'bands' || unit === 'order' ? `${value} ${unit}` : `${level(value)} ${unit}`;
  }
  import Across from '../../parts/Across.svelte';
</script>

<div class="both">
  <section aria-label="Comes over">
    <h3>comes over</h3>
    <ul>
      {#each brought.comes as row, k (row.title + k)}
        <li><strong>{row.title}</strong><span class="soft">{row.value}</span></li>
      {/each}
    </ul>
  </section>
  <section aria-label="Measured here">
    <Across label="What the file holds"
      ><table>
        <thead>
          <tr>
            <th scope="col"><h3>measured here</h3></th>
            <th scope="col" class="num">file</th>
            <td></td>
            <th scope="col" class="num">here</th>
          </tr>
        </thead>
        <tbody>
          {#each brought.measured as row (row.title)}
            <tr>
              <th scope="row">{row.title}<span class="soft">{row.why}</span></th>
              <td class="num">{number(row.then, row.unit)}</td>
              <td aria-hidden="true">→</td>
              <td class="num bold"
                >{row.here === null && row.unit
                  ? t('after your takes')
                  : row.unit
                    ? number(row.here, row.unit)
                    : t('this room')}</td
              >
            </tr>
          {/each}
        </tbody>
      </table></Across
    >
  </section>
</div>

<style>
  .both {
    display: grid;
    grid-template-columns: minmax(0, 2fr) minmax(0, 3fr);
    gap: 30px;
  }
  h3 {
    margin: 0;
    font: 700 15px/1.3 var(--head, var(--text));
    text-align: left;
  }
  ul {
    margin: 6px 0 0;
    padding: 0;
    list-style: none;
  }
  li {
    display: flex;
    flex-direction: column;
    padding: 6px 0;
    border-bottom: 1px solid var(--rule);
  }
  table {
    width: 100%;
    border-collapse: collapse;
    font-size: 14px;
  }
  tbody th {
    font-weight: 600;
  }
  th,
  td {
    padding: 5px 8px 5px 0;
    text-align: left;
    vertical-align: baseline;
  }
  tbody tr {
    border-bottom: 1px solid var(--rule);
  }
  th.num,
  td.num {
    text-align: right;
    white-space: nowrap;
  }
  thead .num,
  .soft {
    color: var(--quiet-ink);
    font-size: 13px;
    font-weight: 400;
  }
  tbody .soft {
    display: block;
  }
  .bold {
    font-weight: 700;
  }
  @media (max-width: 640px) {
    .both {
      grid-template-columns: minmax(0, 1fr);
      height: auto;
    }
  }
</style>
