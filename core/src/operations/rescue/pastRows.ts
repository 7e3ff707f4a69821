import { CoreError } from '../../errors.ts';
import type { Skeleton } from '../../skeleton/skeleton.ts';
import { createRows, influenceCount, type WeightRows } from '../../weights/rows.ts';

/** Rows of an earlier moment in the joints of now. */
export interface PastRows {
  readonly rows: readonly WeightRows[];
  /** Joints that had weight then and are gone; each with the one that its weight goes to, -1 for none. */
  readonly gone: readonly { readonly joint: number; readonly to: number; readonly points: number }[];
}

/**
 * Puts the weight of joints that were removed since onto what they hung on then: the nearest joint upward that is still
 * there. Joints keep their numbers, so all else stays as it was, and rows without such joints are the same arrays.
 *
 * @param past the skeleton as it was; joints that came later are not in it, or marked as removed
 * @throws CoreError argument-invalid if a row would be left without any joint
 */
export function readPastRows(rowsOfPart: readonly WeightRows[], past: Skeleton, now: Skeleton): PastRows {
  const isThere = (joint: number): boolean =>
    joint < now.joints.length && now.joints[joint].removed === undefined;
  const target = new Map<number, number>();
  const targetOf = (joint: number): number => {
    if (isThere(joint)) return joint;
    const known = target.get(joint);
    if (known !== undefined) return known;
    let to = joint;
    // A skeleton has no circles; those of a damaged one end here.
    for (let steps = 0; to >= 0 && !isThere(to) && steps < past.joints.length; steps++)
      to = past.joints[to]?.parent ?? -1;
    if (to >= 0 && !isThere(to)) to = -1;
    target.set(joint, to);
    return to;
  };
  const counts = new Map<number, number>();
  const rows = rowsOfPart.map((own) => moveGone(own, isThere, targetOf, counts));
  const gone = [...counts].map(([joint, points]) => ({ joint, to: targetOf(joint), points }));
  if (gone.some(({ to }) => to < 0) && now.joints.every(({ removed }) => removed !== undefined))
    throw new CoreError('argument-invalid', 'None of the joints of that moment are there any more.');
  return { rows, gone: gone.sort((a, b) => a.joint - b.joint) };
}

function moveGone(
  rows: WeightRows,
  isThere: (joint: number) => boolean,
  targetOf: (joint: number) => number,
  counts: Map<number, number>,
): WeightRows {
  const { stride, pointCount } = rows;
  let moved: WeightRows | undefined;
  for (let p = 0; p < pointCount; p++) {
    const count = influenceCount(rows, p);
    let isChanged = false;
    const held = new Map<number, number>();
    for (let k = p * stride; k < p * stride + count; k++) {
      const joint = rows.joints[k];
      if (!isThere(joint)) {
        isChanged = true;
        counts.set(joint, (counts.get(joint) ?? 0) + 1);
      }
      const to = targetOf(joint);
      if (to >= 0) held.set(to, (held.get(to) ?? 0) + rows.values[k]);
    }
    if (!isChanged) continue;
    moved ??= copyOf(rows);
    writeRow(moved, p, held);
  }
  return moved ?? rows;
}

function copyOf({ pointCount, stride, joints, values }: WeightRows): WeightRows {
  const copy = createRows(pointCount, stride);
  copy.joints.set(joints);
  copy.values.set(values);
  return copy;
}

function writeRow(
  { joints, values, stride }: WeightRows,
  p: number,
  held: ReadonlyMap<number, number>,
): void {
  const sum = [...held.values()].reduce((total, value) => total + value, 0);
  const list = [...held].sort(([a, x], [b, y]) => y - x || a - b);
  for (let k = 0; k < stride; k++) {
    const has = k < list.length && sum > 0;
    joints[p * stride + k] = has ? list[k][0] : 0;
    values[p * stride + k] = has ? list[k][1] / sum : 0;
  }
}
