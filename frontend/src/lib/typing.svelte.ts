import type { Attachment } from 'svelte/attachments';
import { proper } from './format';

/** What a person types stands until they leave the field, whatever the program says meanwhile. */
export function typing(text: () => string, keep: (typed: string) => unknown): Attachment<HTMLInputElement> {
  return (input) => {
    let typed = false;
    const show = () => (input.value = text());
    const begin = () => (typed = true);
    const change = () => {
      typed = false;
      if (keep(input.value.trim()) === REFUSED) show();
    };
    // Nothing changes where the text is again what it was when the field was entered.
    const leave = () => {
      if (typed) show();
      typed = false;
    };
    input.addEventListener('input', begin);
    input.addEventListener('change', change);
    input.addEventListener('blur', leave);
    $effect(() => {
      const told = text();
      if (!typed) input.value = told;
    });
    return () => {
      input.removeEventListener('input', begin);
      input.removeEventListener('change', change);
      input.removeEventListener('blur', leave);
    };
  };
}

/** What `keep` returns where a text is nothing that can be kept: what was kept is shown again. */
export const REFUSED = Symbol('refused');

/** A number in a field; an emptied field keeps null where that is allowed, and is refused elsewhere. */
export function typingNumber(
  value: () => number | null,
  keep: (typed: number) => unknown,
  empty?: () => unknown,
): Attachment<HTMLInputElement> {
  return (input) =>
    typing(
      () => {
        const text = String(value() ?? '');
        return input.type === 'number' ? text : proper(text);
      },
      (typed) => {
        const number = parseFloat(typed.replace(',', '.').replace('−', '-'));
        if (Number.isFinite(number)) return keep(number);
        return typed === '' && empty ? empty() : REFUSED;
      },
    )(input);
}
