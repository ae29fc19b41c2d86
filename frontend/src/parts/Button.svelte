<script lang="ts">
  import type { Snippet } from 'svelte';

  interface Props {
    primary?: boolean;
    quiet?: boolean;
    pressed?: boolean;
    disabled?: boolean;
    title?: string;
    onclick: () => void;
    children: Snippet;
  }
  let { primary = false, quiet = false, pressed, disabled = false, title, onclick, children }: Props = $props();
</script>

<button type="button" class:primary class:quiet aria-pressed={pressed} {disabled} {title} {onclick}>
  {@render children()}
</button>

<style>
  button {
    min-height: 34px;
    padding: 4px 14px;
    border: 1px solid var(--ink);
    border-radius: 2px;
    background: transparent;
    font-weight: 600;
    white-space: nowrap;
    cursor: pointer;
  }
  button.primary {
    background: var(--ink);
    color: var(--sheet);
  }
  button.quiet {
    border-color: var(--edge);
    font-weight: 500;
  }
  button[aria-pressed='true'] {
    box-shadow: inset 0 -3px 0 var(--aim);
  }
  button:disabled {
    border-color: var(--edge);
    color: var(--quiet-ink);
    background: transparent;
    cursor: default;
  }
</style>
