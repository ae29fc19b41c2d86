<script lang="ts">
  import type { Snippet } from 'svelte';
  import { dark } from '../lib/dark.svelte';

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
  let button = $state<HTMLButtonElement>();

  $effect(() => (primary && button ? dark.ask(button) : undefined));
  $effect(() => {
    void disabled;
    if (primary) dark.look();
  });
</script>

<!-- A button that cannot be pressed now keeps the focus: nobody loses their place by pressing it. -->
<button
  bind:this={button}
  type="button"
  class:primary={primary && dark.chosen === button}
  class:quiet
  aria-pressed={pressed}
  aria-disabled={disabled || undefined}
  {title}
  onclick={() => disabled || onclick()}
>
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
  @media (max-width: 640px) {
    button {
      min-height: 32px;
      padding: 3px 9px;
    }
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
  button[aria-disabled='true'] {
    border-color: var(--edge);
    color: var(--quiet-ink);
    background: transparent;
    cursor: default;
  }
</style>
