<script lang="ts">
  import { t } from '../../lib/words';
  import Example from '../../parts/Example.svelte';
  import ReportExample from './ReportExample.svelte';

  /** The calibration on one page: what it holds, and where to get it. */
  const REPORT = '/api/report';
</script>

<Example how={t('Open the report to see your own.')}>
  {#snippet beside()}
    <p>
      The rig, the readings, every picture with its words, each setting with its because, the listeners, your blind
      series and checks. The page is complete in itself, runs no script and needs no network.
    </p>
    <p class="links">
      <a href={REPORT} target="_blank" rel="noopener">Open the report, to read or print</a>
      <a href="{REPORT}?save=true" download="report.html">Save it as a file</a>
    </p>
  {/snippet}
  <ReportExample /></Example
>

<style>
  .links {
    display: flex;
    flex-wrap: wrap;
    gap: 8px 24px;
    margin-top: 14px;
    font-weight: 600;
  }
</style>
