import type { Neighbours } from '../../mesh/neighbours.ts';
import { weightOf, type WeightRows } from '../../weights/rows.ts';
import { differenceAmounts, LEAST_DIFFERENCE } from './differenceAmounts.ts';

/** A joint whose weight differs. */
export interface DifferentJoint {
  readonly joint: number;
  /** Weight that it has more and less, summed over points. */
  readonly more: number;
  readonly less: number;
  readonly points: number;
  /** Where it differs the most. */
  readonly part: number;
  readonly point: number;
  /** By how much there: afterwards less before. */
  readonly most: number;
}

/** A place, of one piece along the surface, where weights differ. */
export interface DifferentPlace {
  readonly part: number;
  /** Rising. */
  readonly points: Uint32Array;
  /** The joint that differs the most in it, over all its points. */
  readonly joint: number;
  /** Where it differs the most, and by how much: half the summed absolute difference. */
  readonly point: number;
  readonly most: number;
  /** The differences of its points, summed. */
  readonly sum: number;
}

export interface Differences {
  /** Most changed first. */
  readonly joints: readonly DifferentJoint[];
  readonly places: readonly DifferentPlace[];
  readonly points: number;
}

/** Two states of a character held against each other: which joints and which places differ, most changed first. */
export function listDifferences(
  before: readonly WeightRows[],
  after: readonly WeightRows[],
  neighbours: readonly Neighbours[],
): Differences {
  const joints = new Map<number, JointTally>();
  const places: DifferentPlace[] = [];
  let points = 0;
  before.forEach((rows, part) => {
    const amounts = new Float32Array(rows.pointCount);
    differenceAmounts(rows, after[part], -1, amounts);
    for (let p = 0; p < amounts.length; p++) {
      if (amounts[p] <= LEAST_DIFFERENCE) continue;
      points++;
      tally(joints, rows, after[part], part, p);
    }
    places.push(...findPlaces(part, amounts, rows, after[part], neighbours[part]));
  });
  return {
    joints: [...joints.values()].sort((a, b) => b.more + b.less - a.more - a.less || a.joint - b.joint),
    places: places.sort((a, b) => b.sum - a.sum),
    points,
  };
}

type JointTally = { -readonly [K in keyof DifferentJoint]: DifferentJoint[K] };

function tally(
  joints: Map<number, JointTally>,
  before: WeightRows,
  after: WeightRows,
  part: number,
  p: number,
): void {
  for (const [joint, change] of changesAt(before, after, p)) {
    if (Math.abs(change) <= LEAST_DIFFERENCE) continue;
    let held = joints.get(joint);
    if (!held) joints.set(joint, (held = { joint, more: 0, less: 0, points: 0, part, point: p, most: 0 }));
    if (change > 0) held.more += change;
    else held.less -= change;
    held.points++;
    if (Math.abs(change) > Math.abs(held.most)) Object.assign(held, { part, point: p, most: change });
  }
}

function* changesAt(before: WeightRows, after: WeightRows, p: number): Generator<[number, number]> {
  const { stride } = before;
  for (let k = p * stride; k < (p + 1) * stride && before.values[k] !== 0; k++)
    yield [before.joints[k], weightOf(after, p, before.joints[k]) - before.values[k]];
  for (let k = p * after.stride; k < (p + 1) * after.stride && after.values[k] !== 0; k++)
    if (weightOf(before, p, after.joints[k]) === 0) yield [after.joints[k], after.values[k]];
}

function findPlaces(
  part: number,
  amounts: Float32Array,
  before: WeightRows,
  after: WeightRows,
  { offsets, points }: Neighbours,
): DifferentPlace[] {
  const met = new Uint8Array(amounts.length);
  const places: DifferentPlace[] = [];
  for (let seed = 0; seed < amounts.length; seed++) {
    if (met[seed] || amounts[seed] <= LEAST_DIFFERENCE) continue;
    const list = [seed];
    met[seed] = 1;
    for (let i = 0; i < list.length; i++)
      for (let e = offsets[list[i]]; e < offsets[list[i] + 1]; e++) {
        const q = points[e];
        if (met[q] || amounts[q] <= LEAST_DIFFERENCE) continue;
        met[q] = 1;
        list.push(q);
      }
    places.push(describePlace(part, Uint32Array.from(list).sort(), amounts, before, after));
  }
  return places;
}

function describePlace(
  part: number,
  points: Uint32Array,
  amounts: Float32Array,
  before: WeightRows,
  after: WeightRows,
): DifferentPlace {
  const byJoint = new Map<number, number>();
  let [sum, point] = [0, points[0]];
  for (const p of points) {
    sum += amounts[p];
    if (amounts[p] > amounts[point]) point = p;
    for (const [joint, change] of changesAt(before, after, p))
      byJoint.set(joint, (byJoint.get(joint) ?? 0) + Math.abs(change));
  }
  const [joint] = [...byJoint].reduce((a, b) => (b[1] > a[1] ? b : a));
  return { part, points, joint, point, most: amounts[point], sum };
}
