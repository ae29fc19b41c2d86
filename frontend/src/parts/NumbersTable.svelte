<script lang="ts">
  import { t } from '../lib/words';
  import { csv, shown, type Numbers } from '../lib/numbers';
  import { saveCsv } from '../lib/save-picture';
  import Button from './Button.svelte';

  /** The numbers that a picture is drawn from, to read, to copy and to keep. */
  interface Props {
    numbers: Numbers;
    label: string;
    close: () => void;
  }
  let { numbers, label, close }: Props = $props();
  let panel = $state<HTMLDialogElement | null>(null);
  let copied = $state('');
  $effect(() => panel?.showModal());

  async function copy(): Promise<void> {
    try {
      await navigator.clipboard.writeText(csv(numbers));
      copied = t('Copied.');
    } catch {
      copied = t('The browser does not allow copying. Save it as CSV.');
    }
  }
</script>

<dialog bind:this={panel} onclose={close} aria-label="Numbers">
  <h2>Numbers</h2>
  <p>{label}</p>
  <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
  <div class="rows" tabindex="0" role="region" aria-label="Table">
    <table>
      <thead>
        <tr>
          {#each numbers.columns as column (column)}<th scope="col">{column}</th>{/each}
        </tr>
      </thead>
      <tbody>
        {#each numbers.rows as row, i (i)}
          <tr>
            {#each row as value, k (k)}<td class:num={typeof value === 'number'}>{shown(value)}</td>{/each}
          </tr>
        {/each}
      </tbody>
    </table>
  </div>
  <div class="action">
    <Button primary onclick={() => void copy()}>Copy as CSV</Button>
    <Button onclick={() => saveCsv(csv(numbers), label)}>Save as CSV</Button>
    <Button quiet onclick={() => panel?.close()}>Close</Button>
    <span role="status">{copied}</span>
  </div>
</dialog>

<style>
  dialog {
    max-width: min(720px, 94vw);
    max-height: 90vh;
    padding: 20px 24px;
    border: 1px solid var(--ink);
    border-radius: 2px;
    background: var(--sheet);
    color: var(--ink);
  }
  dialog[open] {
    display: flex;
    flex-direction: column;
  }
  dialog::backdrop {
    background: rgb(21 24 27 / 35%);
  }
  p {
    margin: 4px 0 10px;
    color: var(--quiet-ink);
    font-size: 13px;
  }
  .rows {
    min-height: 60px;
    overflow: auto;
    border-block: 1px solid var(--rule);
  }
  table {
    border-collapse: collapse;
  }
  th,
  td {
    padding: 2px 18px 2px 0;
    font-size: 13px;
    text-align: left;
    white-space: nowrap;
  }
  th {
    position: sticky;
    top: 0;
    background: var(--sheet);
  }
  td.num {
    text-align: right;
  }
  .action {
    display: flex;
    flex-wrap: wrap;
    gap: 6px 10px;
    align-items: center;
    padding-top: 12px;
  }
</style>
