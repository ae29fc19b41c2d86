import { vi } from 'vitest';

/** Wait, in a test, until something holds. The bound only ends what would never come, on the slowest machine. */
export function until(check: () => void | Promise<void>): Promise<void> {
  return vi.waitFor(check, { timeout: 100_000, interval: 5 });
}
