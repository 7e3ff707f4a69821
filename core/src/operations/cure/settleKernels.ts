import { kernelFace } from '../../memory/kernelFace.ts';
import { aimPoint, placePoint, placeRows, sumMoved, turnPoints } from './settle.ts';
import { type LookArrays, lookProducts } from './lookProducts.ts';
import type { SettleArrays } from './settleArrays.ts';

/** The hot loops of settling; see the plain twins for what they do. */
export interface SettleKernels {
  turnPoints(arrays: SettleArrays, from: number, to: number, isAll: boolean): void;
  aimPoint(arrays: SettleArrays, i: number, hold: number): void;
  placePoint(arrays: SettleArrays, i: number): void;
  placeRows(arrays: SettleArrays): void;
  sumMoved(arrays: SettleArrays): void;
  lookProducts(arrays: LookArrays, i: number, from: number, n: number): void;
}

export const settleKernels = kernelFace<SettleKernels>(
  { turnPoints, aimPoint, placePoint, placeRows, sumMoved, lookProducts },
  (run, at) => {
    // Addresses are asked for at every point: found once.
    const known = new WeakMap<SettleArrays, Addresses>();
    const of = (arrays: SettleArrays): Addresses => {
      let own = known.get(arrays);
      if (!own) known.set(arrays, (own = addressesOf(arrays, at)));
      return own;
    };
    return {
      turnPoints(arrays, from, to, isAll) {
        const a = of(arrays);
        const blocks = isAll ? a.asked : a.open;
        const surface = [a.offsets, a.neighbours, a.rest, a.places, a.turns];
        run.settleTurns(from, to, arrays.poses, ...blocks, ...surface);
      },
      aimPoint(arrays, i, hold) {
        const { poses, listed, jointOffsets } = arrays;
        const a = of(arrays);
        const [from, n] = [jointOffsets[i], jointOffsets[i + 1] - jointOffsets[i]];
        run.settleAim(
          ...([i, listed, poses, a.open[0], a.open[1], a.offsets, a.neighbours] as const),
          ...([a.rest, a.places, a.came, a.turns, hold, a.joints + 2 * from, n] as const),
          ...([a.positions, a.palettes, a.away, a.gram] as const),
        );
      },
      placePoint(arrays, i) {
        const { poses, jointOffsets } = arrays;
        const a = of(arrays);
        const [from, n] = [jointOffsets[i], jointOffsets[i + 1] - jointOffsets[i]];
        const held = [a.joints + 2 * from, a.weights + 8 * from, n, a.positions, a.palettes, a.places];
        run.settlePlace(i, poses, a.open[0], a.open[1], ...held);
      },
      placeRows(arrays) {
        const { count, poses, stride } = arrays;
        const a = of(arrays);
        run.settleRows(
          ...([count, poses, a.rowJoints, a.rowValues, stride] as const),
          ...([a.positions, a.rest, a.palettes, a.places] as const),
        );
      },
      sumMoved(arrays) {
        const a = of(arrays);
        run.settleMoved(arrays.listed, arrays.poses, a.rest, a.places, a.moved);
      },
      lookProducts({ poses, joints, positions, palettes, looks, away, gram }, i, from, n) {
        const held = [at(positions), at(palettes), at(looks), at(away), at(gram)];
        run.lookProducts(i, poses, at(joints) + 2 * from, n, ...held);
      },
    };
  },
);

type Addresses = ReturnType<typeof addressesOf>;

const addressesOf = (arrays: SettleArrays, at: (array: ArrayBufferView) => number) => ({
  open: [at(arrays.open.offsets), at(arrays.open.blocks)] as const,
  asked: [at(arrays.asked.offsets), at(arrays.asked.blocks)] as const,
  offsets: at(arrays.offsets),
  neighbours: at(arrays.neighbours),
  positions: at(arrays.positions),
  rest: at(arrays.rest),
  joints: at(arrays.joints),
  weights: at(arrays.weights),
  rowJoints: at(arrays.rowJoints),
  rowValues: at(arrays.rowValues),
  palettes: at(arrays.palettes),
  places: at(arrays.places),
  came: at(arrays.came),
  turns: at(arrays.turns),
  away: at(arrays.away),
  gram: at(arrays.gram),
  moved: at(arrays.moved),
});
