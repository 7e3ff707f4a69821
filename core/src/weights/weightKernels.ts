import { kernelFace } from '../memory/kernelFace.ts';
import type { Neighbours } from '../mesh/neighbours.ts';
import { fillPieces, listMarked, type PieceWork } from './pieceLoops.ts';
import type { PointList } from './pointList.ts';
import { BATCH_WIDTH, normalizeBatch, type BatchRows } from './normalizeBatch.ts';
import { rewriteRows, type RowBlock } from './rewriteRows.ts';
import type { WeightRows } from './rows.ts';
import { readColumn, setWeights } from './setWeights.ts';
import { smoothRows, smoothTargets } from './smooth.ts';

/** The hot loops over weight rows; see the plain twins for what they do. */
export interface WeightKernels {
  setWeights(
    rows: WeightRows,
    list: PointList,
    targets: Float32Array,
    joint: number,
    limit: number,
    locks: Uint8Array,
    status: Uint8Array,
  ): void;
  /** Normalizes the first `count` rows of a batch. */
  normalizeBatch(batch: BatchRows, count: number, fixed: number, locks: Uint8Array): void;
  readColumn(rows: WeightRows, joint: number, out: Float32Array): void;
  smoothTargets(
    list: PointList,
    column: Float32Array,
    neighbours: Neighbours,
    amounts: Float32Array,
    targets: Float32Array,
  ): void;
  smoothRows(
    src: WeightRows,
    dst: WeightRows,
    list: PointList,
    neighbours: Neighbours,
    amounts: Float32Array,
    limit: number,
    locks: Uint8Array,
    status: Uint8Array,
  ): void;
  /** @returns how many pieces there are */
  joinPieces(rows: WeightRows, neighbours: Neighbours, work: PieceWork): number;
  /** @returns how many points are listed */
  listMarked(rows: WeightRows, pieceOf: Uint32Array, marks: Uint8Array, out: Uint32Array): number;
  /** New rows for the first `count` rows of a block; see {@link RowBlock}. */
  rewriteRows(block: RowBlock, count: number, least: number, limit: number, locks: Uint8Array): void;
}

const plain: WeightKernels = {
  setWeights,
  normalizeBatch,
  readColumn,
  smoothTargets,
  smoothRows,
  joinPieces: fillPieces,
  listMarked,
  rewriteRows,
};

export const weightKernels = kernelFace<WeightKernels>(plain, (run, at, accumulator) => {
  const rowArgs = ({ joints, values, stride }: WeightRows): number[] => [at(joints), at(values), stride];
  return {
    setWeights(rows, list, targets, joint, limit, locks, status) {
      run.setWeights(
        at(list.points),
        list.count,
        at(targets),
        joint,
        limit,
        at(locks),
        ...rowArgs(rows),
        at(status),
      );
    },
    normalizeBatch({ joints, values, counts, limits, dst, status }, count, fixed, locks) {
      run.normalizeBatch(
        count,
        at(joints),
        at(values),
        at(counts),
        BATCH_WIDTH,
        fixed,
        at(limits),
        at(locks),
        ...rowArgs(dst),
        at(status),
      );
    },
    readColumn(rows, joint, out) {
      run.readColumn(0, rows.pointCount, joint, ...rowArgs(rows), at(out));
    },
    smoothTargets(list, column, neighbours, amounts, targets) {
      run.smoothTargets(
        at(list.points),
        list.count,
        at(column),
        at(neighbours.offsets),
        at(neighbours.points),
        at(amounts),
        at(targets),
      );
    },
    smoothRows(src, dst, list, neighbours, amounts, limit, locks, status) {
      run.smoothRows(
        at(list.points),
        list.count,
        at(src.joints),
        at(src.values),
        ...rowArgs(dst),
        at(neighbours.offsets),
        at(neighbours.points),
        at(amounts),
        limit,
        at(locks),
        accumulator,
        at(status),
      );
    },
    joinPieces: (rows, { offsets, points }, { pieceOf, mass, bordered, roots, solo, chief }) =>
      run.joinPieces(
        rows.pointCount,
        rows.stride,
        at(rows.joints),
        at(rows.values),
        at(offsets),
        at(points),
        at(pieceOf),
        at(mass),
        at(bordered),
        at(roots),
        at(solo),
        at(chief),
      ),
    listMarked: ({ pointCount, stride, values }, pieceOf, marks, out) =>
      run.listMarked(pointCount, stride, at(values), at(pieceOf), at(marks), at(out)),
    rewriteRows({ held, src, dst, status }, count, least, limit, locks) {
      run.rewriteRows(
        count,
        ...rowArgs(held),
        ...rowArgs(src),
        least,
        limit,
        at(locks),
        at(dst.joints),
        at(dst.values),
        at(status),
      );
    },
  };
});
