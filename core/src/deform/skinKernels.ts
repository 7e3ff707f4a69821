import { kernelFace } from '../memory/kernelFace.ts';
import type { PointList } from '../weights/pointList.ts';
import { skinList, skinRange, skinSlots, type SkinArrays } from './skin.ts';
import { skinDualRange, skinDualSlots, type DualPalette } from './skinDual.ts';

/** The hot loops of skinning; see the plain twins for what they do. */
export interface SkinKernels {
  skinRange(arrays: SkinArrays, from: number, to: number): void;
  skinList(arrays: SkinArrays, list: PointList): void;
  skinSlots(arrays: SkinArrays, list: PointList, slots: Uint32Array): void;
  skinDualRange(arrays: SkinArrays, dual: DualPalette, from: number, to: number): void;
  skinDualSlots(arrays: SkinArrays, dual: DualPalette, list: PointList, slots: Uint32Array): void;
}

export const skinKernels = kernelFace<SkinKernels>(
  { skinRange, skinList, skinSlots, skinDualRange, skinDualSlots },
  (run, at) => {
    const surface = ({ rest, restNormals, rows }: SkinArrays): number[] => [
      at(rest),
      at(restNormals),
      at(rows.joints),
      at(rows.values),
      rows.stride,
    ];
    const result = ({ positions, normals }: SkinArrays): number[] => [at(positions), at(normals)];
    const linear = (arrays: SkinArrays): number[] => {
      const { palette } = arrays;
      const unweighted = at(palette) + (palette.length - 16) * 4;
      return [...surface(arrays), at(palette), unweighted, ...result(arrays)];
    };
    const dual = (arrays: SkinArrays, { quaternions, signs, jointCount, ...rest }: DualPalette): number[] => [
      ...surface(arrays),
      at(quaternions),
      at(signs),
      jointCount,
      rest.stretched ? at(rest.scale) : 0,
      ...result(arrays),
    ];
    return {
      skinRange(arrays, from, to) {
        run.skinRange(from, to, ...linear(arrays));
      },
      skinList(arrays, { points, count }) {
        run.skinList(at(points), count, ...linear(arrays));
      },
      skinSlots(arrays, { points, count }, slots) {
        run.skinSlots(at(points), at(slots), count, ...linear(arrays));
      },
      skinDualRange(arrays, palette, from, to) {
        run.skinDualRange(from, to, ...dual(arrays, palette));
      },
      skinDualSlots(arrays, palette, { points, count }, slots) {
        run.skinDualSlots(at(points), at(slots), count, ...dual(arrays, palette));
      },
    };
  },
);
