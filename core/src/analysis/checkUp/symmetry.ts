import { PointTree } from '../../spatial/pointTree.ts';
import type { CheckInput } from '../../document/checkInput.ts';
import { PointCells } from '../../spatial/pointCells.ts';
import { counted, type Finding } from '../../document/finding.ts';

/** With fewer points than this share on their mirror, a part is not meant to be symmetric. */
const MEANT_SHARE = 0.6;

/** Points of a part that has two sides without a counterpart across the middle. */
export function findMeshAsymmetry({ parts, pairs, tolerance }: CheckInput): Finding[] {
  const { axis, middle } = pairs;
  return parts.flatMap(({ name, positions, pointCount, inverseBinds }, part): Finding[] => {
    const placed = placeAll(positions, inverseBinds.subarray(inverseBinds.length - 16));
    const all = Uint32Array.from({ length: pointCount }, (_, p) => p);
    const cells = new PointCells(placed, all, tolerance);
    // Nearly every point has its counterpart; the tree that tells how far off one is may not be needed.
    let tree: PointTree | undefined;
    const alone: number[] = [];
    let worst = 0;
    const at = [0, 0, 0];
    for (let p = 0; p < pointCount; p++) {
      for (let k = 0; k < 3; k++) at[k] = placed[p * 3 + k];
      at[axis] = 2 * middle - at[axis];
      if (cells.near(at[0], at[1], at[2]) >= 0) continue;
      alone.push(p);
      tree ??= new PointTree(placed, all);
      const near = tree.nearest(at[0], at[1], at[2]);
      worst = Math.max(worst, Math.hypot(...at.map((x, k) => x - placed[near * 3 + k])));
      if (alone.length > (1 - MEANT_SHARE) * pointCount) return [];
    }
    if (alone.length === 0) return [];
    const message = `“${name}” has ${counted(alone.length, 'point')} without a counterpart on the other side, by up to ${worst.toPrecision(2)}.`;
    return [
      {
        code: 'mesh-asymmetry',
        severity: 'note',
        part,
        count: alone.length,
        points: Uint32Array.from(alone),
        message,
      },
    ];
  });
}

function placeAll(positions: Float32Array, m: Float32Array): Float32Array {
  const placed = new Float32Array(positions.length);
  for (let i = 0; i < positions.length; i += 3) {
    const [x, y, z] = [positions[i], positions[i + 1], positions[i + 2]];
    for (let k = 0; k < 3; k++) placed[i + k] = m[k] * x + m[4 + k] * y + m[8 + k] * z + m[12 + k];
  }
  return placed;
}
