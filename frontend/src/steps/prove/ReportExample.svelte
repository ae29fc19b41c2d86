<script lang="ts">
  import { t } from '../../lib/words';
  import { REPORT, SERIES, SPLIT } from '../../lib/examples';
  import { withUnit } from '../../lib/format';
  import SplitPicture from '../quiet/SplitPicture.svelte';
  import TallyPicture from './TallyPicture.svelte';

  /** The first things of the demo's report, as they stand on its page. */
  const ROWS = [
    [t('Noise floor, A-weighted'), withUnit(REPORT.floor_dbfs_a, 'dBFS(A)')],
    [t('Level of the voice'), withUnit(REPORT.talk_dbfs, 'dBFS')],
  ] as const;
</script>

<article>
  <h3>{t('{title}: report', { title: REPORT.rig })}</h3>
  <table>
    <tbody>
      {#each ROWS as [name, value] (name)}<tr><th scope="row">{name}</th><td class="num">{value}</td></tr>{/each}
    </tbody>
  </table>
  <div class="pictures">
    <div><SplitPicture split={SPLIT} /></div>
    <div><TallyPicture series={SERIES} /></div>
  </div>
</article>

<style>
  article {
    max-width: 900px;
  }
  h3 {
    font-size: 18px;
  }
  table {
    margin: 6px 0 10px;
  }
  th {
    padding-right: 24px;
    font-weight: 400;
    text-align: left;
  }
  .pictures {
    display: grid;
    grid-template-columns: repeat(auto-fit, minmax(320px, 1fr));
    gap: 12px;
  }
  .pictures > div {
    height: 240px;
  }
</style>
