import { type WeightRows } from '../../weights/rows.ts';
import { jointsIn, JointSums } from './JointSums.ts';
import type { Neighbours } from '../../mesh/neighbours.ts';

/** Joints that may get weight at each of some points: compressed rows. */
export interface PointJoints {
  readonly offsets: Uint32Array;
  readonly joints: Uint16Array;
}

/**
 * The joints that weigh at points and about them: what they may get weight of. Weights are spread over the surface for some
 * rounds; of what arrives the most stay.
 *
 * @param points   rising
 * @param rounds   how many rings away a joint is still seen
 * @param most     joints a point
 * @param isOpen   whether a joint may get weight at a point that it has none at
 */
export function spreadJoints(
  rows: WeightRows,
  { offsets, points: next }: Neighbours,
  points: Uint32Array,
  rounds: number,
  most: number,
  isOpen: (joint: number, point: number) => boolean,
): PointJoints {
  const sums = new JointSums(jointsIn(rows));
  const numbers = new Int32Array(rows.pointCount).fill(-1);
  points.forEach((p, i) => (numbers[p] = i));
  let from = spreadRows(points.length, 2 * most);
  let to = spreadRows(points.length, 2 * most);
  points.forEach((p, i) => {
    sums.clear();
    sums.addRow(rows, p, 1);
    keep(sums, from, i);
  });
  for (let round = 0; round < rounds; round++) {
    points.forEach((p, i) => {
      sums.clear();
      addSpread(sums, from, i, 1);
      const share = 1 / (offsets[p + 1] - offsets[p]);
      for (let n = offsets[p]; n < offsets[p + 1]; n++) {
        if (numbers[next[n]] >= 0) addSpread(sums, from, numbers[next[n]], share);
        else sums.addRow(rows, next[n], share);
      }
      keep(sums, to, i);
    });
    [from, to] = [to, from];
  }
  return listed(points, rows, most, from, isOpen);
}

/** Joints and what has come of each, some a point. */
interface SpreadRows {
  readonly room: number;
  readonly joints: Uint16Array;
  readonly values: Float32Array;
  readonly counts: Uint16Array;
}

const spreadRows = (pointCount: number, room: number): SpreadRows => ({
  room,
  joints: new Uint16Array(pointCount * room),
  values: new Float32Array(pointCount * room),
  counts: new Uint16Array(pointCount),
});

function addSpread(
  sums: JointSums,
  { room, joints, values, counts }: SpreadRows,
  i: number,
  by: number,
): void {
  for (let k = i * room; k < i * room + counts[i]; k++) sums.add(joints[k], by * values[k]);
}

function keep(sums: JointSums, { room, joints, values, counts }: SpreadRows, i: number): void {
  counts[i] = sums.largest(room);
  for (let k = 0; k < counts[i]; k++) {
    joints[i * room + k] = sums.joints[k];
    values[i * room + k] = sums.of(sums.joints[k]);
  }
}

/** What a point has it may keep; others must be open, and those of which most has come are first. */
function listed(
  points: Uint32Array,
  rows: WeightRows,
  most: number,
  spread: SpreadRows,
  isOpen: (joint: number, point: number) => boolean,
): PointJoints {
  const offsets = new Uint32Array(points.length + 1);
  const all: number[] = [];
  const came = new JointSums(jointsIn(rows));
  points.forEach((p, i) => {
    came.clear();
    came.addRow(rows, p, 1);
    for (let k = 0; k < came.count; k++) all.push(came.joints[k]);
    let room = most - came.count;
    const first = i * spread.room;
    for (let k = first; k < first + spread.counts[i] && room > 0; k++) {
      const joint = spread.joints[k];
      if (came.has(joint) || !isOpen(joint, p)) continue;
      all.push(joint);
      room--;
    }
    offsets[i + 1] = all.length;
  });
  return { offsets, joints: new Uint16Array(all) };
}
