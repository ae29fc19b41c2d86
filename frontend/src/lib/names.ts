import { t } from './words';

/** Names in a row, each in quotation marks, as alternatives. */
export function eitherOf(names: string[]): string {
  return names.map((name) => t('“{name}”', { name })).join(t(' or '));
}
