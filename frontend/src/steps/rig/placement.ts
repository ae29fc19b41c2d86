/** Mouth and microphone from above: the microphone points up from the lower left, the mouth is where its distance and its angle off the axis put it. */

export interface Placed {
  distance_cm: number;
  angle_deg: number;
}

const NEAREST_CM = 2;
const FARTHEST_CM = 300;
const STEPS: Record<string, Partial<Placed>> = {
  ArrowUp: { distance_cm: 1 },
  ArrowDown: { distance_cm: -1 },
  PageUp: { distance_cm: 10 },
  PageDown: { distance_cm: -10 },
  ArrowRight: { angle_deg: 5 },
  ArrowLeft: { angle_deg: -5 },
};

function held(value: number, low: number, high: number): number {
  return Math.min(high, Math.max(low, value));
}

function whole({ distance_cm, angle_deg }: Placed): Placed {
  return {
    distance_cm: Math.round(held(distance_cm, NEAREST_CM, FARTHEST_CM)),
    angle_deg: Math.round(held(angle_deg, 0, 180)),
  };
}

/** Where a key moves the mouth to; null for a key that moves nothing. */
export function movedBy(key: string, from: Placed): Placed | null {
  const step = STEPS[key];
  if (!step) return null;
  return whole({
    distance_cm: from.distance_cm + (step.distance_cm ?? 0),
    angle_deg: from.angle_deg + (step.angle_deg ?? 0),
  });
}

export interface Plan {
  /** The capsule, px. */
  x: number;
  y: number;
  pxPerCm: number;
}

/** A plan that shows the mouth, and the critical distance where that does not make the mouth too small to see. */
export function planOf(placed: Placed, criticalCm: number | null, width: number, height: number): Plan {
  const reach = Math.max(placed.distance_cm * 1.25, Math.min(criticalCm ?? 0, placed.distance_cm * 2.6), 15);
  const side = Math.min(width * 0.72, height * 0.82);
  return { x: width * 0.26, y: height * 0.84, pxPerCm: side / reach };
}

/** Where a mouth so placed stands in the plan, px. */
export function mouthAt(plan: Plan, placed: Placed): { x: number; y: number } {
  const angle = (placed.angle_deg * Math.PI) / 180;
  const far = placed.distance_cm * plan.pxPerCm;
  return { x: plan.x + far * Math.sin(angle), y: plan.y - far * Math.cos(angle) };
}

/** How a mouth at a point of the plan is placed, in whole centimetres and degrees; either side of the axis is the same. */
export function placedAt(plan: Plan, x: number, y: number): Placed {
  const [across, along] = [Math.abs(x - plan.x), plan.y - y];
  return whole({
    distance_cm: Math.hypot(across, along) / plan.pxPerCm,
    angle_deg: (Math.atan2(across, along) * 180) / Math.PI,
  });
}

/** What a microphone hears around it as an outline: radius by its sensitivity, 1 on its axis, which points up. */
export function patternPath(facing: number[][], x: number, y: number, radius: number): string {
  const right = facing.map(([deg = 0, db = 0]) => {
    const far = radius * 10 ** (db / 20);
    const angle = (deg * Math.PI) / 180;
    return [far * Math.sin(angle), -far * Math.cos(angle)] as const;
  });
  const left = right.slice(1, -1).reverse();
  const points = [...right, ...left.map(([dx, dy]) => [-dx, dy] as const)];
  return `M${points.map(([dx, dy]) => `${(x + dx).toFixed(1)} ${(y + dy).toFixed(1)}`).join('L')}Z`;
}
