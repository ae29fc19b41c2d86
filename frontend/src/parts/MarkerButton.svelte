<script lang="ts">
  import { counted, t } from '../lib/words';
  import { desk } from '../lib/state.svelte';
  import Button from './Button.svelte';
  import Hint from './Hint.svelte';
  import Key from './Key.svelte';

  /** Send the marker, and how many listeners are proved by it. */
  interface Props {
    /** Without the hint, where there is little room. */
    few?: boolean;
  }
  let { few = false }: Props = $props();
  const live = $derived(desk.overview?.run.live ?? false);
  const sending = $derived(desk.overview?.run.marker === 'sending');
  const count = $derived(desk.overview?.proofs ?? { good: 0, all: 0 });
  const proved = $derived(count.all > 0 && count.good === count.all);
</script>

<Button primary={live && !proved} disabled={!live || sending} onclick={() => void desk.do('post', '/api/marker')}>
  {sending ? t('The marker is on its way…') : t('Send the marker')}
</Button>
{#if !few}<Key does="marker" />{/if}
{#if !few}<Hint>
    {live
      ? count.good
        ? counted(
            count.all,
            '{good} of {count} listener gets what is meant.',
            '{good} of {count} listeners get what is meant.',
            { good: count.good },
          )
        : t('Two seconds of soft hiss through every path: what arrives is recognised.')
      : t('Start live first; then a marker can be sent.')}
  </Hint>{/if}
