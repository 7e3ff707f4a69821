import { createCandidates, normalizeCandidates } from '../weights/normalize.ts';
import { rowsEqual } from '../weights/delta.ts';
import { createRows, DEFAULT_STRIDE, type WeightRows } from '../weights/rows.ts';

/** Vertices that stand in one place and have different weights: they come apart in a bend. */
export interface SeamWeights {
  /** The points, rising. */
  readonly points: Uint32Array;
  /** Their vertices, rising, and a row for each. */
  readonly vertices: Uint32Array;
  readonly rows: WeightRows;
}

export const NO_SEAMS: SeamWeights = {
  points: new Uint32Array(0),
  vertices: new Uint32Array(0),
  rows: createRows(0, DEFAULT_STRIDE),
};

/** Which of the points still have the row that was read: nobody has put one for all of their vertices. */
export const seamsAsCame = ({ points }: SeamWeights, rows: WeightRows, came: WeightRows): Uint32Array =>
  points.filter((point) => rowsEqual(rows, point, came, point));

/** By point, which rows of the seam are its vertices'. */
function byPoint({ vertices }: SeamWeights, vertexPoint: Uint32Array): Map<number, number[]> {
  const found = new Map<number, number[]>();
  vertices.forEach((vertex, i) => {
    const point = vertexPoint[vertex];
    const held = found.get(point);
    if (held) held.push(i);
    else found.set(point, [i]);
  });
  return found;
}

/** The largest difference of one joint's weight between two vertices of a point, over all of these points. */
export function seamDifference(seams: SeamWeights, vertexPoint: Uint32Array): number {
  const { joints, values, stride } = seams.rows;
  let most = 0;
  for (const own of byPoint(seams, vertexPoint).values()) {
    const range = new Map<number, number[]>();
    for (const i of own)
      for (let k = i * stride; k < (i + 1) * stride && values[k] > 0; k++)
        range.set(joints[k], [...(range.get(joints[k]) ?? []), values[k]]);
    for (const found of range.values()) {
      const least = found.length < own.length ? 0 : Math.min(...found);
      most = Math.max(most, Math.max(...found) - least);
    }
  }
  return most;
}

/** Gives points the mean of their vertices' rows. */
export function putSeamMeans(
  rows: WeightRows,
  seams: SeamWeights,
  vertexPoint: Uint32Array,
  points: ReadonlySet<number>,
  locks: Uint8Array,
): void {
  const { joints, values, stride } = seams.rows;
  for (const [point, own] of byPoint(seams, vertexPoint)) {
    if (!points.has(point)) continue;
    const sums = new Map<number, number>();
    for (const i of own)
      for (let k = i * stride; k < (i + 1) * stride && values[k] > 0; k++)
        sums.set(joints[k], (sums.get(joints[k]) ?? 0) + values[k] / own.length);
    // What is locked on either side stays as it is on both.
    if ([...sums.keys()].some((joint) => locks[joint])) continue;
    const c = createCandidates(sums.size);
    for (const [joint, value] of sums) {
      c.joints[c.count] = joint;
      c.values[c.count++] = value;
    }
    rows.joints.fill(0, point * rows.stride, (point + 1) * rows.stride);
    rows.values.fill(0, point * rows.stride, (point + 1) * rows.stride);
    normalizeCandidates(rows, point, c, { fixed: -1, limit: rows.stride, locks });
  }
}
