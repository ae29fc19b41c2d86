<script lang="ts">
  import { t } from '../lib/words';
  /** Good is a filled diamond, a fault an open square, not applicable a circle: shown by shape as well as by colour. */
  interface Props {
    kind: 'good' | 'fault' | 'none';
  }
  let { kind }: Props = $props();
  const words = { good: t('good'), fault: t('fault'), none: t('not applicable') };
</script>

<svg viewBox="0 0 12 12" width="12" height="12" role="img" aria-label={words[kind]}>
  {#if kind === 'good'}
    <path d="M6 0.5 11.500 6 6 11.500 0.500 6Z" fill="var(--aim)" />
  {:else if kind === 'fault'}
    <rect x="1.5" y="1.5" width="9" height="9" fill="none" stroke="var(--peak)" stroke-width="2" />
  {:else}
    <circle cx="6" cy="6" r="4.500" fill="none" stroke="var(--edge)" stroke-width="1.500" />
  {/if}
</svg>

<style>
  svg {
    flex: none;
  }
</style>
