import type { KernelMemory } from '../memory/kernelMemory.ts';
import type { PointList } from '../weights/pointList.ts';
import type { Deformer } from './deformer.ts';
import type { SkinArrays } from './skin.ts';
import type { DualPalette } from './skinDual.ts';
import type { RelaxPatch, SurfaceRelaxer } from './SurfaceRelaxer.ts';

/** So many points are skinned at a time on their way to a relaxer. */
const BATCH = 16384;

/** Room for points on their way to a relaxer, in the memory of the arrays that are skinned. */
export type RelaxScratch = ReturnType<typeof layRelaxScratch>;

export const layRelaxScratch = (memory: KernelMemory) => ({
  list: memory.u32(BATCH),
  slots: memory.u32(BATCH),
  positions: memory.f32(BATCH * 3),
  normals: memory.f32(BATCH * 3),
});

/**
 * A deformer that relaxes what another one skins.
 * @param relaxerOf the relaxer of a part by its rest positions (the same array); parts without one are skinned alone
 * @param scratch   in the memory of the deformer
 */
export function relaxedDeformer(
  skinned: Deformer,
  relaxerOf: ReadonlyMap<Float32Array, SurfaceRelaxer>,
  scratch: RelaxScratch,
): Deformer {
  scratch.slots.forEach((_, i) => (scratch.slots[i] = i));
  const patches = new WeakMap<SurfaceRelaxer, KnownPatch>();

  /** What listed points need, skinned and relaxed. */
  function relaxAbout(
    relaxer: SurfaceRelaxer,
    arrays: SkinArrays,
    dual: DualPalette,
    list: PointList,
  ): RelaxPatch {
    const patch = patchAbout(patches, relaxer, list);
    const batch = { ...arrays, positions: scratch.positions, normals: scratch.normals };
    for (let from = 0; from < patch.points.length; from += BATCH) {
      const points = patch.points.subarray(from, from + BATCH);
      const count = points.length;
      scratch.list.set(points);
      skinned.skinSlots(batch, dual, { points: scratch.list, count }, scratch.slots);
      relaxer.take(points, count, scratch.positions, scratch.normals);
    }
    relaxer.relaxPatch(patch);
    return patch;
  }

  return {
    skinning: skinned.skinning,
    prepare: (palette, dual) => skinned.prepare(palette, dual),
    affectedBy(arrays, list) {
      const relaxer = relaxerOf.get(arrays.rest);
      if (!relaxer) return list;
      const { points } = relaxer.patchAbout(list.points, list.count, 1);
      return { points, count: points.length };
    },
    skinRange(arrays, dual, from, to) {
      const relaxer = relaxerOf.get(arrays.rest);
      if (!relaxer) skinned.skinRange(arrays, dual, from, to);
      else {
        skinned.skinRange(arrays, dual, 0, arrays.rows.pointCount);
        relaxer.relaxAll(arrays.positions, arrays.normals);
      }
    },
    skinList(arrays, dual, list) {
      const relaxer = relaxerOf.get(arrays.rest);
      if (!relaxer) {
        skinned.skinList(arrays, dual, list);
        return;
      }
      relaxAbout(relaxer, arrays, dual, list);
      for (let i = 0; i < list.count; i++) copyPoint(relaxer, list.points[i], arrays, list.points[i]);
    },
    skinSlots(arrays, dual, list, slots) {
      const relaxer = relaxerOf.get(arrays.rest);
      if (!relaxer) {
        skinned.skinSlots(arrays, dual, list, slots);
        return;
      }
      relaxAbout(relaxer, arrays, dual, list);
      for (let i = 0; i < list.count; i++) copyPoint(relaxer, list.points[i], arrays, slots[i]);
    },
  };
}

interface KnownPatch {
  readonly about: Uint32Array;
  readonly reach: number;
  readonly patch: RelaxPatch;
}

/** The points of a strip are asked for picture by picture: their patch is looked for once. */
function patchAbout(
  known: WeakMap<SurfaceRelaxer, KnownPatch>,
  relaxer: SurfaceRelaxer,
  { points, count }: PointList,
): RelaxPatch {
  const held = known.get(relaxer);
  if (
    held?.about.length === count &&
    held.reach === relaxer.reach &&
    held.about.every((p, i) => p === points[i])
  )
    return held.patch;
  const patch = relaxer.patchAbout(points, count, 1);
  known.set(relaxer, { about: points.slice(0, count), reach: relaxer.reach, patch });
  return patch;
}

function copyPoint(
  { relaxed }: SurfaceRelaxer,
  p: number,
  { positions, normals }: Pick<SkinArrays, 'positions' | 'normals'>,
  slot: number,
): void {
  for (let k = 0; k < 3; k++) {
    positions[slot * 3 + k] = relaxed.positions[p * 3 + k];
    normals[slot * 3 + k] = relaxed.normals[p * 3 + k];
  }
}
