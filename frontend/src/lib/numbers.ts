/** What a picture is drawn from, as a table; an unknown number is null. */
import { number } from './format';
import { t } from './words';
export interface Numbers {
  columns: string[];
  rows: (string | number | null)[][];
}

/** Columns of equal length side by side, each under its heading. */
export function columns(named: Record<string, readonly (string | number | null | undefined)[]>): Numbers {
  const values = Object.values(named);
  const count = Math.max(0, ...values.map((column) => column.length));
  return {
    columns: Object.keys(named),
    rows: Array.from({ length: count }, (_, row) => values.map((column) => column[row] ?? null)),
  };
}

/** As it is read: four digits tell a level to a hundredth of a decibel. */
export function shown(value: string | number | null): string {
  if (value === null) return t('unknown');
  if (typeof value === 'string') return value;
  const rounded = Math.abs(value) >= 1000 ? value.toFixed(0) : String(Math.round(value * 100) / 100);
  return number(rounded);
}

function quoted(value: string | number | null): string {
  const text = value === null ? '' : String(value);
  return /[",\r\n]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text;
}

/** Comma-separated values (RFC 4180): all digits, nothing where a number is unknown. */
export function csv(numbers: Numbers): string {
  return [numbers.columns, ...numbers.rows].map((row) => `${row.map(quoted).join(',')}\r\n`).join('');
}
