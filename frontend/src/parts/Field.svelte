<script lang="ts" generics="T extends string | number | boolean | null">
  import { t } from '../lib/words';
  import { REFUSED, typing, typingNumber } from '../lib/typing.svelte';

  /** One field of a form: a number with its unit, a name, a choice, or a yes, no or unknown. It is kept when it is left. */
  interface Props {
    label: string;
    value: T;
    kind?: 'text' | 'number' | 'needed' | 'choice' | 'known' | 'tick';
    choices?: { value: T; title: string }[];
    wide?: boolean;
    disabled?: boolean;
    keep: (value: T) => void;
  }
  let { label, value, kind = 'text', choices = [], wide = false, disabled = false, keep }: Props = $props();

  const KNOWN = [
    { value: null, title: t('unknown') },
    { value: true, title: t('yes') },
    { value: false, title: t('no') },
  ] as { value: T; title: string }[];
  const offered = $derived(kind === 'known' ? KNOWN : choices);

  const field = $derived(
    kind === 'text'
      ? typing(
          () => String(value ?? ''),
          (text) => (text ? keep(text as T) : REFUSED),
        )
      : typingNumber(
          () => value as number | null,
          (number) => keep(number as T),
          kind === 'number' ? () => keep(null as T) : undefined,
        ),
  );
</script>

{#if kind === 'tick'}
  <label class="tick">
    <input
      type="checkbox"
      checked={value === true}
      {disabled}
      onchange={(event) => keep(event.currentTarget.checked as T)}
    />
    {label}
  </label>
{:else}
  <label class:wide>
    {label}
    {#if kind === 'choice' || kind === 'known'}
      <select
        value={String(value)}
        {disabled}
        onchange={(event) => {
          const chosen = offered.find((choice) => String(choice.value) === event.currentTarget.value);
          if (chosen) keep(chosen.value);
        }}
      >
        {#each offered as choice (String(choice.value))}<option value={String(choice.value)}>{choice.title}</option
          >{/each}
      </select>
    {:else}
      <input
        inputmode={kind === 'text' ? 'text' : 'decimal'}
        placeholder={kind === 'number' ? t('unknown') : undefined}
        {disabled}
        {@attach field}
      />
    {/if}
  </label>
{/if}

<style>
  label {
    display: block;
    color: var(--quiet-ink);
    font-size: 13px;
  }
  .wide {
    grid-column: span 2;
  }
  .tick {
    display: flex;
    gap: 7px;
    align-items: center;
    min-height: 32px;
    align-self: end;
    color: var(--ink);
  }
  input:not([type='checkbox']),
  select {
    display: block;
    width: 100%;
    min-height: 32px;
    margin-top: 2px;
    padding: 3px 8px;
    font-size: 14px;
  }
</style>
