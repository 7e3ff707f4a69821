import { countBytes } from '../memory/countBytes.ts';
import { type LdlFactor, type LdlWork, SOLVE_WIDTH } from './ldlLoops.ts';
import { CoreError } from '../errors.ts';
import { solveKernels } from './solveKernels.ts';
import type { KernelMemory } from '../memory/kernelMemory.ts';

/**
 * A symmetric matrix by its upper half, in compressed columns: the entries of column k are rows[starts[k] ..
 * starts[k + 1]) with row ≤ k, the diagonal among them.
 */
export interface SymmetricMatrix {
  readonly size: number;
  readonly starts: Uint32Array;
  readonly rows: Uint32Array;
  readonly values: Float64Array;
}

/** What is known of a factor before it is made. */
export interface FactorPlan {
  /** Elimination tree: parent of each column, -1 for a root. */
  readonly parents: Int32Array;
  /** Uint32Array, size + 1: where the columns of L begin. */
  readonly columnStarts: Uint32Array;
  /** Kernel memory that the factor and its solves take, in bytes. */
  readonly bytes: number;
}

/** Elimination tree and column counts (Davis 2005, "Algorithm 849: a concise sparse Cholesky factorization package"). */
export function planFactor({ size, starts, rows }: SymmetricMatrix): FactorPlan {
  const parents = new Int32Array(size).fill(-1);
  const seen = new Int32Array(size).fill(-1);
  const counts = new Uint32Array(size);
  for (let k = 0; k < size; k++) {
    seen[k] = k;
    for (let e = starts[k]; e < starts[k + 1]; e++) {
      for (let i = rows[e]; i < k && seen[i] !== k; i = parents[i]) {
        if (parents[i] < 0) parents[i] = k;
        counts[i]++;
        seen[i] = k;
      }
    }
  }
  const columnStarts = new Uint32Array(size + 1);
  for (let k = 0; k < size; k++) columnStarts[k + 1] = columnStarts[k] + counts[k];
  const bytes = countBytes((memory) => layFactor(memory, size, columnStarts[size], rows.length));
  return { parents, columnStarts, bytes };
}

/** A factor, and the room that solving with it takes; see ldlSolve. */
export interface Factorized {
  readonly factor: LdlFactor;
  readonly sides: Float64Array;
  readonly quiet: Uint8Array;
}

/** Room for a factor, for making it and for solving with it, in the kernels' memory. */
function layFactor(
  memory: KernelMemory,
  size: number,
  entries: number,
  matrixEntries: number,
): { factor: LdlFactor; held: LdlWork; sides: Float64Array; quiet: Uint8Array } {
  return {
    factor: {
      size,
      starts: memory.u32(size + 1),
      rows: memory.u32(Math.max(1, entries)),
      values: memory.f64(Math.max(1, entries)),
      diagonal: memory.f64(size),
    },
    held: {
      starts: memory.u32(size + 1),
      rows: memory.u32(matrixEntries),
      values: memory.f64(matrixEntries),
      parents: memory.i32(size),
      ends: memory.u32(size),
      marks: memory.i32(size),
      pattern: memory.u32(size),
      sums: memory.f64(size),
    },
    sides: memory.f64(size * SOLVE_WIDTH),
    quiet: memory.u8(size),
  };
}

/**
 * Factorizes in the kernels' memory.
 * @param stop asked between batches of columns, with the share that is done
 * @throws CoreError `no-solution` if a pivot is not positive: the matrix is singular there, or not finite
 */
export function factorize(
  memory: KernelMemory,
  matrix: SymmetricMatrix,
  { parents, columnStarts }: FactorPlan,
  watch: (share: number) => void = () => undefined,
): Factorized {
  const { size } = matrix;
  const { factor, held, sides, quiet } = layFactor(memory, size, columnStarts[size], matrix.rows.length);
  factor.starts.set(columnStarts);
  held.starts.set(matrix.starts);
  held.rows.set(matrix.rows);
  held.values.set(matrix.values);
  held.parents.set(parents);
  held.ends.set(columnStarts.subarray(0, size));
  held.marks.fill(-1);
  held.sums.fill(0);
  // Rows cost more the later they come: batches shrink toward the end, so that each takes about as long.
  for (let from = 0; from < size;) {
    const to = Math.min(size, from + Math.max(32, (size - from) >> 4));
    const failed = solveKernels(memory).ldlColumns(factor, held, from, to);
    if (failed >= 0) {
      throw new CoreError('no-solution', 'The equations have no solution: a pivot is not positive.', {
        row: failed,
      });
    }
    from = to;
    watch(1 - Math.sqrt((size - from) / size));
  }
  return { factor, sides, quiet };
}
