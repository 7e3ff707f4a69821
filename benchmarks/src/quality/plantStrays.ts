import type { Neighbours } from '@judoka/core/mesh';
import type { WeightRows } from '@judoka/core/weights';

/** A patch of foreign weight. */
export interface PlantedPatch {
  readonly part: number;
  readonly joint: number;
  readonly points: readonly number[];
  readonly amount: number;
}

export interface PlantGround {
  readonly rows: readonly WeightRows[];
  readonly neighbours: readonly Neighbours[];
  /** By part, Float32Array, 3·pointCount. */
  readonly positions: readonly Float32Array[];
  readonly places: Float32Array;
  /** Parts and joints that patches may be planted on. */
  readonly parts: readonly number[];
  readonly joints: readonly number[];
  readonly size: number;
  /** Uint8Array, jointCount²: steps along the skeleton. */
  readonly steps: Uint8Array;
}

/**
 * Where foreign weight comes from: a joint elsewhere in the body, or one of the patch's own limb or face, two or three
 * joints further.
 */
export type PlantSource = 'elsewhere' | 'near';

/** A joint is elsewhere in the body from this share of the body's size on. */
const ELSEWHERE = 0.25;
/** A near joint's own region ends this many rings before the patch. */
const APART_RINGS = 2;

/** One to five connected patches of 3 to 60 points, each with some weight of a foreign joint; in place. */
export function plantStrays(ground: PlantGround, source: PlantSource, random: () => number): PlantedPatch[] {
  const patches: PlantedPatch[] = [];
  const wanted = 1 + Math.floor(random() * 5);
  for (let tries = 0; patches.length < wanted && tries < 500; tries++) {
    const part = ground.parts[Math.floor(random() * ground.parts.length)];
    const size = 3 + Math.floor(random() * 58);
    const points = patchOf(
      ground.neighbours[part],
      Math.floor(random() * ground.rows[part].pointCount),
      size,
    );
    const joint = ground.joints[Math.floor(random() * ground.joints.length)];
    const suits = source === 'near' ? isNear : isElsewhere;
    if (points.length < 3 || !suits(ground, part, joint, points)) continue;
    const amount = 0.02 + 0.98 * random();
    for (const p of points) give(ground.rows[part], p, joint, amount);
    patches.push({ part, joint, points, amount });
  }
  return patches;
}

function patchOf({ offsets, points }: Neighbours, seed: number, size: number): number[] {
  const patch = [seed];
  const met = new Set(patch);
  for (const p of patch) {
    for (let e = offsets[p]; e < offsets[p + 1] && patch.length < size; e++) {
      if (met.has(points[e])) continue;
      met.add(points[e]);
      patch.push(points[e]);
    }
  }
  return patch;
}

function isElsewhere(ground: PlantGround, part: number, joint: number, points: readonly number[]): boolean {
  const { joints, values, stride } = ground.rows[part];
  const at = ground.positions[part];
  return points.every((p) => {
    if (values[p * stride] === 0) return false;
    const far = Math.hypot(...[0, 1, 2].map((k) => at[p * 3 + k] - ground.places[joint * 3 + k]));
    if (far < ELSEWHERE * ground.size) return false;
    for (let k = p * stride; k < (p + 1) * stride && values[k] !== 0; k++)
      if (joints[k] === joint) return false;
    return true;
  });
}

function isNear(ground: PlantGround, part: number, joint: number, points: readonly number[]): boolean {
  const { joints, values, stride } = ground.rows[part];
  const jointCount = Math.sqrt(ground.steps.length);
  const ruler = joints[points[0] * stride];
  const steps = ground.steps[ruler * jointCount + joint];
  if (values[points[0] * stride] === 0 || steps < 2 || steps > 3) return false;
  const { offsets, points: linked } = ground.neighbours[part];
  const zone = new Set(points);
  for (let ring = 0; ring < APART_RINGS; ring++)
    for (const p of [...zone]) for (let e = offsets[p]; e < offsets[p + 1]; e++) zone.add(linked[e]);
  for (const p of zone)
    for (let k = p * stride; k < (p + 1) * stride && values[k] !== 0; k++)
      if (joints[k] === joint) return false;
  // What weighs nowhere has no place of its own.
  return ground.rows.some((rows) => rows.joints.some((other, k) => other === joint && rows.values[k] > 0));
}

function give({ joints, values, stride }: WeightRows, p: number, joint: number, amount: number): void {
  const row: [number, number][] = [[joint, amount]];
  for (let k = p * stride; k < (p + 1) * stride && values[k] !== 0; k++)
    row.push([joints[k], values[k] * (1 - amount)]);
  row.sort((a, b) => b[1] - a[1]);
  const kept = row.slice(0, stride).filter(([, weight]) => weight > 0);
  for (let k = 0; k < stride; k++) {
    joints[p * stride + k] = kept[k]?.[0] ?? 0;
    values[p * stride + k] = kept[k]?.[1] ?? 0;
  }
}
