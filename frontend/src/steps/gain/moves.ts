import type { GainPlan } from '../../lib/api';
import { desk } from '../../lib/state.svelte';

type Move = GainPlan['moves'][number];

/** The controls that a plan turns. */
export function movesOf(plan: GainPlan | null): Move[] {
  return plan?.moves.filter((move) => move.target !== null && move.start !== move.target) ?? [];
}

/** Sliders first, the preamp last: in the order in which the plan is spoken. */
export async function turnAll(moves: Move[]): Promise<void> {
  const order = [...moves].sort((one, other) => Number(one.key === 'preamp') - Number(other.key === 'preamp'));
  for (const move of order) if (!(await desk.turn(move.key, move.target ?? 0))) return;
}
