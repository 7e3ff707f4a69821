import type { KernelMemory } from '../memory/kernelMemory.ts';
import type { PointList } from '../weights/pointList.ts';
import type { SkinArrays } from './skin.ts';
import { fillDualPalette, type DualPalette } from './skinDual.ts';
import { skinKernels } from './skinKernels.ts';

/** How the surface follows the joints: matrices blended, or dual quaternions. */
export const SKINNINGS = ['linear', 'dual'] as const;
export type Skinning = (typeof SKINNINGS)[number];

/** The one way in which a document's surface follows its joints: skinned, and relaxed or not ({@link relaxedDeformer}). Stage, strip, predictions and figures all use it. */
export interface Deformer {
  readonly skinning: Skinning;
  /** Call it whenever the palette has changed. */
  prepare(palette: Float32Array, dual: DualPalette): void;
  skinRange(arrays: SkinArrays, dual: DualPalette, from: number, to: number): void;
  /** Points that come to lie elsewhere when the rows of listed ones are written: those, and what depends on them. */
  affectedBy(arrays: SkinArrays, list: PointList): PointList;
  /** Listed points; all other results stay. */
  skinList(arrays: SkinArrays, dual: DualPalette, list: PointList): void;
  /** Listed points into results of their own: the i-th listed point into slot slots[i]. */
  skinSlots(arrays: SkinArrays, dual: DualPalette, list: PointList, slots: Uint32Array): void;
}

/** @param memory where the arrays lie that it is given */
export function deformerOf(skinning: Skinning, memory: KernelMemory): Deformer {
  const kernels = skinKernels(memory);
  if (skinning === 'dual')
    return {
      skinning,
      affectedBy: (_, list) => list,
      prepare: fillDualPalette,
      skinRange: (arrays, dual, from, to) => kernels.skinDualRange(arrays, dual, from, to),
      skinList: (arrays, dual, list) => kernels.skinDualSlots(arrays, dual, list, list.points),
      skinSlots: (arrays, dual, list, slots) => kernels.skinDualSlots(arrays, dual, list, slots),
    };
  return {
    skinning,
    affectedBy: (_, list) => list,
    prepare: () => undefined,
    skinRange: (arrays, _dual, from, to) => kernels.skinRange(arrays, from, to),
    skinList: (arrays, _dual, list) => kernels.skinList(arrays, list),
    skinSlots: (arrays, _dual, list, slots) => kernels.skinSlots(arrays, list, slots),
  };
}
