import type { Deformer } from '../deformer.ts';
import type { SkinArrays } from '../skin.ts';
import type { RibbonPoser } from './RibbonPoser.ts';

const out = new Float64Array(6);

/**
 * A deformer whose parts are held by ribbons: their points go where those take them, as far as they hold them.
 * @param ribbons by the parts' rest positions (the same array)
 */
export function ribbonDeformer(
  skinned: Deformer,
  ribbons: ReadonlyMap<Float32Array, readonly RibbonPoser[]>,
): Deformer {
  return {
    skinning: skinned.skinning,
    prepare: (palette, dual) => skinned.prepare(palette, dual),
    affectedBy: (arrays, list) => skinned.affectedBy(arrays, list),
    skinRange(arrays, dual, from, to) {
      skinned.skinRange(arrays, dual, from, to);
      for (const poser of ribbons.get(arrays.rest) ?? []) {
        poser.pose(arrays.palette);
        for (let p = from; p < to; p++) blend(poser, arrays, p, p);
      }
    },
    skinList(arrays, dual, list) {
      skinned.skinList(arrays, dual, list);
      for (const poser of ribbons.get(arrays.rest) ?? []) {
        poser.pose(arrays.palette);
        for (let i = 0; i < list.count; i++) blend(poser, arrays, list.points[i], list.points[i]);
      }
    },
    skinSlots(arrays, dual, list, slots) {
      skinned.skinSlots(arrays, dual, list, slots);
      for (const poser of ribbons.get(arrays.rest) ?? []) {
        poser.pose(arrays.palette);
        for (let i = 0; i < list.count; i++) blend(poser, arrays, list.points[i], slots[i]);
      }
    },
  };
}

function blend(
  poser: RibbonPoser,
  { rest, restNormals, positions, normals }: SkinArrays,
  point: number,
  slot: number,
): void {
  const amount = poser.laid.amounts[point];
  if (amount === 0) return;
  poser.place(point, rest, restNormals, out);
  const size = Math.hypot(out[3], out[4], out[5]) || 1;
  let squares = 0;
  for (let k = 0, at = slot * 3; k < 3; k++, at++) {
    positions[at] += amount * (out[k] - positions[at]);
    normals[at] += amount * (out[3 + k] / size - normals[at]);
    squares += normals[at] ** 2;
  }
  const length = Math.sqrt(squares) || 1;
  for (let at = slot * 3; at < slot * 3 + 3; at++) normals[at] /= length;
}
