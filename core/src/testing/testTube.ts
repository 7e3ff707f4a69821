import { partOf, skeletonOf, tube, type TubeOptions } from './testBody.ts';
import { normalizeAll, computeNormals } from '../mesh/normals.ts';
import { createRows } from '../weights/rows.ts';
import type { BendSubject } from '../analysis/bends/meterParts.ts';

/**
 * A tube along x from −4 to 4, for tests: bound to a joint at −4 and one in the middle, the weight of the second by
 * place along it.
 */
export function bentTube(
  share: (x: number) => number,
  options: TubeOptions = {},
): BendSubject & { readonly rows: [ReturnType<typeof createRows>] } {
  const places = [
    [-4, 0, 0],
    [0, 0, 0],
  ] as const;
  const { positions, triangles } = tube(-4, 4, 0, 0, options);
  const part = partOf('tube', positions, triangles, places);
  const normals = computeNormals(part.positions, part.triangles);
  normalizeAll(normals);
  const rows = createRows(part.pointCount);
  for (let p = 0; p < part.pointCount; p++) {
    const w = Math.fround(Math.min(1, Math.max(0, share(positions[p * 3]))));
    const row: [number, number][] = [
      [0, 1 - w],
      [1, w],
    ];
    row
      .sort((a, b) => b[1] - a[1])
      .filter(([, weight]) => weight > 0)
      .forEach(([joint, weight], k) => {
        rows.joints[p * 8 + k] = joint;
        rows.values[p * 8 + k] = weight;
      });
  }
  const skeleton = skeletonOf([
    ['upper', -1, places[0]],
    ['lower', 0, places[1]],
  ]);
  return { parts: [{ ...part, normals }], skeleton, rows: [rows] };
}
