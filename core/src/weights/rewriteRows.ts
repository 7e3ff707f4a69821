import { rowsEqual } from './delta.ts';
import { createCandidates, normalizeCandidates, RowStatus } from './normalize.ts';
import { createRows, type WeightRows } from './rows.ts';

/**
 * Many rows on their way to other weights, side by side in the kernels' memory.
 *
 * - `held`    the rows as they are; what locked joints have there stays.
 * - `src`     what the other joints should get, in any proportion; of another stride perhaps.
 * - `dst`     the rows as they come out; zero before.
 * - `status`  bits of RowStatus; `changed` where `dst` differs from `held`.
 */
export interface RowBlock {
  readonly held: WeightRows;
  readonly src: WeightRows;
  readonly dst: WeightRows;
  readonly status: Uint8Array;
}

/** The loop of {@link adoptRows}; twin of rewriteRows in core/kernels/rows.ts. */
export function rewriteRows(
  { held, src, dst, status }: RowBlock,
  count: number,
  least: number,
  limit: number,
  locks: Uint8Array,
): void {
  const one = createRows(1, dst.stride);
  const c = createCandidates();
  const put = (rows: WeightRows, i: number, wanted: (joint: number, value: number) => boolean): void => {
    for (let k = i * rows.stride; k < (i + 1) * rows.stride; k++) {
      if (rows.values[k] === 0 || !wanted(rows.joints[k], rows.values[k])) continue;
      c.joints[c.count] = rows.joints[k];
      c.values[c.count++] = rows.values[k];
    }
  };
  for (let i = 0; i < count; i++) {
    c.count = 0;
    put(held, i, (joint) => locks[joint] !== 0);
    put(src, i, (joint, value) => locks[joint] === 0 && value >= least);
    one.joints.fill(0);
    one.values.fill(0);
    const told = normalizeCandidates(one, 0, c, { fixed: -1, limit, locks });
    dst.joints.set(one.joints, i * dst.stride);
    dst.values.set(one.values, i * dst.stride);
    status[i] = (told & ~RowStatus.changed) | (rowsEqual(held, i, dst, i) ? 0 : RowStatus.changed);
  }
}
