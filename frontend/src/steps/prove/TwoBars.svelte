<script lang="ts">
  import { t } from '../../lib/words';
  import type { Two } from '../../lib/api';
  import { level } from '../../lib/format';
  import { share } from './two';

  /** What both microphones say in numbers: the first open, the second solid. */
  interface Props {
    two: Two;
  }
  let { two }: Props = $props();
  const number = (value: number | null, unit: string) => (value === null ? t('none') : `${level(value)} ${unit}`);
  import Across from '../../parts/Across.svelte';
</script>

<Across label="Both microphones"
  ><table>
    <thead>
      <tr>
        <td></td>
        <td></td>
        <th scope="col">{two.first}</th>
        <th scope="col">{two.second}</th>
      </tr>
    </thead>
    <tbody>
      {#each two.bars.filter((each) => each.first !== null || each.second !== null) as bar (bar.code)}
        {@const both = [bar.first, bar.second]}
        <tr>
          <th scope="row">{bar.title}</th>
          <td class="bars" aria-hidden="true">
            <span class="open" style:width="{100 * share(bar.first, both)}%"></span>
            <span class="solid" style:width="{100 * share(bar.second, both)}%"></span>
          </td>
          <td class="num">{number(bar.first, bar.unit)}</td>
          <td class="num bold">{number(bar.second, bar.unit)}</td>
        </tr>
      {/each}
    </tbody>
  </table></Across
>

<style>
  table {
    width: 100%;
    border-collapse: collapse;
    font-size: 13px;
  }
  th {
    padding: 4px 10px 4px 0;
    font-weight: 600;
    text-align: left;
    white-space: nowrap;
  }
  thead th,
  .num {
    padding-left: 14px;
    text-align: right;
    white-space: nowrap;
  }
  .bars {
    width: 100%;
  }
  .bars span {
    display: block;
    height: 7px;
    border: 1px solid var(--voice);
  }
  .solid {
    background: var(--voice);
  }
  .bold {
    font-weight: 700;
  }
</style>
