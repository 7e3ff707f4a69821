import { AFFINE, type PosedPalettes } from '../../deform/PosedPalettes.ts';
import { influenceCount, type WeightRows } from '../../weights/rows.ts';

/** So many points are looked at; they stand for the others. */
const SAMPLES = 1500;

/**
 * By joint: how far the poses that turn it alone move points, together.
 * @param positions Float32Array, 3 a point, part space
 * @param rest      Float32Array, 3 a point, scene space
 * @param isLeftOut by point: 1 for those that do not count
 * @param turned    by pose: the joint; -1 for others
 */
export function movesElsewhere(
  { positions, rest, inverseBinds, rows }: MovedPart,
  posed: PosedPalettes,
  isLeftOut: Uint8Array,
  turned: Int32Array,
): Float64Array {
  const palettes = posed.palettesOf(inverseBinds);
  const moved = new Float64Array(posed.jointCount);
  const step = Math.max(1, Math.floor(rows.pointCount / SAMPLES));
  for (let p = 0; p < rows.pointCount; p += step) {
    const [first, count] = [p * rows.stride, influenceCount(rows, p)];
    if (isLeftOut[p] === 1 || count === 0) continue;
    const [x, y, z] = [positions[p * 3], positions[p * 3 + 1], positions[p * 3 + 2]];
    for (let k = 0; k < turned.length; k++) {
      if (turned[k] < 0) continue;
      let [dx, dy, dz] = [-rest[p * 3], -rest[p * 3 + 1], -rest[p * 3 + 2]];
      for (let c = first; c < first + count; c++) {
        const [at, w] = [(k * posed.jointCount + rows.joints[c]) * AFFINE, rows.values[c]];
        dx += w * (palettes[at] * x + palettes[at + 3] * y + palettes[at + 6] * z + palettes[at + 9]);
        dy += w * (palettes[at + 1] * x + palettes[at + 4] * y + palettes[at + 7] * z + palettes[at + 10]);
        dz += w * (palettes[at + 2] * x + palettes[at + 5] * y + palettes[at + 8] * z + palettes[at + 11]);
      }
      moved[turned[k]] += step * Math.sqrt(dx * dx + dy * dy + dz * dz);
    }
  }
  return moved;
}

export interface MovedPart {
  readonly positions: Float32Array;
  readonly rest: Float32Array;
  readonly inverseBinds: Float32Array;
  readonly rows: WeightRows;
}
