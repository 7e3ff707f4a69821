import { createPaintWorkspace } from '@judoka/core/operations/paint';
import type { Surface } from './surface.ts';

/** What core holds of a character that is being painted, in bytes a point; what the GPU holds is not counted. */
export function bytesAPoint(surface: Surface): number {
  const { memory, arrays, neighbours, triangles, pointCount } = surface;
  const { smoothed, ...lists } = createPaintWorkspace(memory, pointCount, arrays.rows.stride, neighbours);
  const views: ArrayBufferView[] = [
    arrays.rest,
    arrays.restNormals,
    arrays.positions,
    arrays.normals,
    arrays.rows.joints,
    arrays.rows.values,
    neighbours.offsets,
    neighbours.points,
    triangles,
    smoothed.joints,
    smoothed.values,
    ...Object.values(lists).filter((value): value is Float32Array => ArrayBuffer.isView(value)),
  ];
  // Polygons (a quad a point: offset and four corners), and vertex → point.
  const others = pointCount * (4 + 16 + 4);
  return (views.reduce((sum, view) => sum + view.byteLength, 0) + others) / pointCount;
}
