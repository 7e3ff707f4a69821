import type { PaintWorkspace } from '@judoka/core/operations/paint';
import { type WeightRows, weightOf } from '@judoka/core/weights';

/** A mask is painted as weights of two: what is left out, and what is taken. */
export const [LEFT_OUT, TAKEN] = [0, 1];

/** A part's amounts while they are painted. */
export interface MaskedPart {
  readonly rows: WeightRows;
  readonly workspace: PaintWorkspace;
  /** Float32Array, one a point: what is drawn. */
  readonly amounts: Float32Array;
}

/** Says how much of a point is taken. */
export function putRow(rows: WeightRows, point: number, amount: number): void {
  const at = point * rows.stride;
  const both: readonly (readonly [number, number])[] = [
    [TAKEN, amount],
    [LEFT_OUT, 1 - amount],
  ];
  const kept = both.filter(([, value]) => value > 0).sort((a, b) => b[1] - a[1]);
  rows.joints.fill(0, at, at + rows.stride);
  rows.values.fill(0, at, at + rows.stride);
  kept.forEach(([joint, value], k) => {
    rows.joints[at + k] = joint;
    rows.values[at + k] = value;
  });
}

/** How much of a point is taken. */
export const amountAt = (rows: WeightRows, point: number): number => weightOf(rows, point, TAKEN);
