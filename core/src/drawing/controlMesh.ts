import Delaunator from 'delaunator';
import { outlinesOfShape, segmentsOf, type Layer, type Shape } from './drawing.ts';
import { isInside } from './inside.ts';
import { placeSamples, sampleShape } from './samples.ts';

/**
 * Triangles between the vertices of a layer: what tools that go over surfaces go over. Anchors are joined across the
 * shape where it is filled, and each curve by the two triangles of its ends and handles.
 *
 * @param positions Float32Array, 3 a vertex
 */
export function controlTriangles(layer: Layer, positions: Float32Array): Uint32Array {
  const triangles: number[] = [];
  for (const shape of layer.shapes) {
    joinAnchors(shape, positions, triangles);
    if (shape.clip)
      joinAnchors({ outlines: shape.clip.outlines, fillRule: shape.clip.rule }, positions, triangles);
    for (const outline of outlinesOfShape(shape))
      for (const of of segmentsOf(outline))
        if (of.length === 4) {
          pushUpright(triangles, positions, of[0], of[1], of[2]);
          pushUpright(triangles, positions, of[0], of[2], of[3]);
        }
  }
  return Uint32Array.from(triangles);
}

function joinAnchors(shape: Shape, positions: Float32Array, triangles: number[]): void {
  const anchors = shape.outlines.flatMap((outline) => {
    const segments = segmentsOf(outline);
    const own = segments.map((of) => of[0]);
    const last = segments.at(-1)?.at(-1);
    return outline.closed || last === undefined ? own : [...own, last];
  });
  if (anchors.length < 3) return;
  const before = triangles.length;
  const samples = sampleShape(shape, positions, sizeOf(anchors, positions) / 12 || 1);
  const places = new Float32Array(samples.count * 2);
  placeSamples(samples, positions, places);
  const lines = { places, lines: samples.lines };
  const at = Float64Array.from(anchors.flatMap((v) => [positions[v * 3], positions[v * 3 + 1]]));
  const found = new Delaunator(at).triangles;
  for (let t = 0; t < found.length; t += 3) {
    const [a, b, c] = [anchors[found[t]], anchors[found[t + 1]], anchors[found[t + 2]]];
    const x = (positions[a * 3] + positions[b * 3] + positions[c * 3]) / 3;
    const y = (positions[a * 3 + 1] + positions[b * 3 + 1] + positions[c * 3 + 1]) / 3;
    if (isInside(lines, x, y, shape.fillRule)) pushUpright(triangles, positions, a, b, c);
  }
  if (triangles.length > before) return;
  // A line that encloses nothing holds together along itself.
  for (let k = 0; k + 2 < anchors.length; k++)
    pushUpright(triangles, positions, anchors[k], anchors[k + 1], anchors[k + 2]);
}

function sizeOf(vertices: readonly number[], positions: Float32Array): number {
  let size = 0;
  for (let axis = 0; axis < 2; axis++) {
    let [least, most] = [Infinity, -Infinity];
    for (const v of vertices) {
      least = Math.min(least, positions[v * 3 + axis]);
      most = Math.max(most, positions[v * 3 + axis]);
    }
    size = Math.max(size, most - least);
  }
  return size;
}

/** A triangle that faces whoever looks at the drawing; it may lie in one line, and still joins what it touches. */
function pushUpright(triangles: number[], at: Float32Array, a: number, b: number, c: number): void {
  const area =
    (at[b * 3] - at[a * 3]) * (at[c * 3 + 1] - at[a * 3 + 1]) -
    (at[c * 3] - at[a * 3]) * (at[b * 3 + 1] - at[a * 3 + 1]);
  triangles.push(a, ...(area < 0 ? [c, b] : [b, c]));
}
