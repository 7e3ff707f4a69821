import { rewritePoints } from '../../weights/rewritePoints.ts';
import type { Part } from '../../mesh/part.ts';
import { healUnweighted } from '../../weights/heal.ts';
import type { Neighbours } from '../../mesh/neighbours.ts';
import { findNeighbours } from '../../mesh/topology.ts';
import { areasOf, type Confines } from '../../weights/confines.ts';
import { apply, type Change, type Delta } from '../../weights/delta.ts';
import { changeInfluence, type Receiver } from '../../weights/influence.ts';
import { copyRows, type WeightRows } from '../../weights/rows.ts';
import type { Stray } from '../../document/stray.ts';

export interface StrayRules {
  readonly receiver: Receiver;
  readonly locks: Uint8Array;
  /** Largest number of influences. */
  readonly limit: number;
  readonly confines?: Confines;
}

type Shape = Pick<Part, 'positions' | 'polygonOffsets' | 'polygonPoints' | 'pointCount'>;

/**
 * Takes strays away, all as one change: their weight goes to the receiver. Points that hold nothing else are healed
 * from the surface around. Strays of locked joints stay.
 *
 * @returns the change, and how many of the strays' points kept their weight
 */
export function removeStrays(
  parts: readonly Shape[],
  rows: readonly WeightRows[],
  strays: readonly Stray[],
  rules: StrayRules,
): { change: Change; held: number } {
  const change: Delta[] = [];
  let held = 0;
  parts.forEach((shape, part) => {
    const own = strays.filter((stray) => stray.part === part);
    const open = own.filter(({ joint }) => !rules.locks[joint]);
    for (const stray of own) if (rules.locks[stray.joint]) held += stray.points.length;
    if (open.length === 0) return;
    const wanted = withoutStrays(shape, rows[part], open, rules, part);
    const touched = Uint32Array.from(new Set(open.flatMap(({ points }) => [...points]))).sort();
    const { delta, held: stayed } = rewritePoints(part, rows[part], touched, rules, (p, c) => {
      for (let k = p * wanted.stride; k < (p + 1) * wanted.stride && wanted.values[k] > 0; k++) {
        if (rules.locks[wanted.joints[k]]) continue;
        c.joints[c.count] = wanted.joints[k];
        c.values[c.count++] = wanted.values[k];
      }
    });
    held += stayed;
    if (delta.points.length > 0) change.push(delta);
  });
  return { change, held };
}

/** The rows as they should be, before locks and limit. */
function withoutStrays(
  { positions, polygonOffsets, polygonPoints, pointCount }: Shape,
  rows: WeightRows,
  strays: readonly Stray[],
  { receiver, locks, limit, confines }: StrayRules,
  part: number,
): WeightRows {
  const wanted = copyRows(rows);
  const neighbours = findNeighbours({ offsets: polygonOffsets, points: polygonPoints }, pointCount);
  const areas = areasOf(confines, part);
  if (receiver.kind === 'joint') {
    for (const { points, joint } of strays) {
      const settings = { receiver, limit, locks, areas, neighbours };
      apply(
        Array.from({ length: part + 1 }, () => wanted),
        [changeInfluence(part, wanted, points, joint, () => 0, settings).delta],
      );
    }
    return wanted;
  }
  const unweighted = pointsWithout(rows);
  for (const { points, joint } of strays) {
    if (receiver.kind === 'neighbours') fillInward(wanted, points, joint, neighbours, locks);
    else for (const p of points) dropJoint(wanted, p, joint);
  }
  healUnweighted(wanted, positions, neighbours, limit);
  for (const p of unweighted) wanted.values.fill(0, p * wanted.stride, (p + 1) * wanted.stride);
  return wanted;
}

/**
 * Gives a patch's weight of a joint to what lies around it, from the rim inward: each ring gets what its neighbours have
 * that lie beyond the patch or are done already, so that its middle comes out like its surroundings too.
 */
function fillInward(
  rows: WeightRows,
  points: Uint32Array,
  joint: number,
  { offsets, points: linked }: Neighbours,
  locks: Uint8Array,
): void {
  const open = new Set(points);
  while (open.size > 0) {
    const ring = [...open].filter((p) =>
      linked.subarray(offsets[p], offsets[p + 1]).some((n) => !open.has(n)),
    );
    if (ring.length === 0) break;
    const found = ring.map((p) =>
      meanRow(
        rows,
        linked.subarray(offsets[p], offsets[p + 1]).filter((n) => !open.has(n)),
        (other) => other !== joint && !locks[other],
      ),
    );
    ring.forEach((p, i) => {
      const freed = dropJoint(rows, p, joint);
      for (const [other, share] of found[i]) addWeight(rows, p, other, share * freed);
      open.delete(p);
    });
  }
  // An island of its own has nothing around it.
  for (const p of open) dropJoint(rows, p, joint);
}

/** What points have on average, of the joints that may be given; shares sum to one, or there are none. */
function meanRow(
  { joints, values, stride }: WeightRows,
  points: Uint32Array,
  isGiven: (joint: number) => boolean,
): Map<number, number> {
  const shares = new Map<number, number>();
  let sum = 0;
  for (const p of points) {
    for (let k = p * stride; k < (p + 1) * stride && values[k] !== 0; k++) {
      if (!isGiven(joints[k])) continue;
      shares.set(joints[k], (shares.get(joints[k]) ?? 0) + values[k]);
      sum += values[k];
    }
  }
  for (const [joint, share] of shares) shares.set(joint, share / sum);
  return shares;
}

/** Adds to a joint's weight, in place of the least of others where there is no room. */
function addWeight({ joints, values, stride }: WeightRows, p: number, joint: number, weight: number): void {
  const first = p * stride;
  let k = first;
  while (k < first + stride && values[k] !== 0 && joints[k] !== joint) k++;
  if (k === first + stride) {
    k = first;
    for (let i = first; i < first + stride; i++) if (values[i] < values[k]) k = i;
    if (values[k] >= weight) return;
    values[k] = 0;
  }
  joints[k] = joint;
  values[k] += weight;
}

function pointsWithout({ values, stride, pointCount }: WeightRows): number[] {
  const empty: number[] = [];
  for (let p = 0; p < pointCount; p++) if (values[p * stride] === 0) empty.push(p);
  return empty;
}

/** Takes a joint out of a row of plain proportions. @returns the weight that it had */
function dropJoint({ joints, values, stride }: WeightRows, p: number, joint: number): number {
  let to = p * stride;
  let freed = 0;
  for (let k = to; k < (p + 1) * stride; k++) {
    if (joints[k] === joint && values[k] !== 0) {
      freed += values[k];
      continue;
    }
    joints[to] = joints[k];
    values[to++] = values[k];
  }
  for (; to < (p + 1) * stride; to++) {
    joints[to] = 0;
    values[to] = 0;
  }
  return freed;
}
