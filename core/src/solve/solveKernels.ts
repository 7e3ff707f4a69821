import { kernelFace } from '../memory/kernelFace.ts';
import { dissect, type DissectWork } from './dissect.ts';
import { ldlColumns, ldlSolve, type LdlFactor, type LdlWork } from './ldlLoops.ts';

/** The hot loops of solving; see the plain twins for what they do. */
export interface SolveKernels {
  /** @returns the row whose pivot is not positive, or -1 */
  ldlColumns(factor: LdlFactor, work: LdlWork, from: number, to: number): number;
  ldlSolve(factor: LdlFactor, sides: Float64Array, quiet: Uint8Array, tiny: number): void;
  dissect(work: DissectWork): void;
}

export const solveKernels = kernelFace<SolveKernels>({ ldlColumns, ldlSolve, dissect }, (run, at) => ({
  ldlColumns: (factor, work, from, to) =>
    run.ldlColumns(
      factor.size,
      from,
      to,
      at(factor.starts),
      at(factor.rows),
      at(factor.values),
      at(factor.diagonal),
      at(work.starts),
      at(work.rows),
      at(work.values),
      at(work.parents),
      at(work.ends),
      at(work.marks),
      at(work.pattern),
      at(work.sums),
    ),
  ldlSolve(factor, sides, quiet, tiny) {
    run.ldlSolve(
      factor.size,
      at(factor.starts),
      at(factor.rows),
      at(factor.values),
      at(factor.diagonal),
      at(sides),
      at(quiet),
      tiny,
    );
  },
  dissect({ smallest, positions, neighbours, order, best, keys, pieceOf, stack }) {
    run.dissect(
      order.length,
      smallest,
      at(positions),
      at(neighbours.offsets),
      at(neighbours.points),
      at(order),
      at(best),
      at(keys),
      at(pieceOf),
      at(stack),
    );
  },
}));
