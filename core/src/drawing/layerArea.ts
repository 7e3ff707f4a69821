import type { Layer, Shape } from './drawing.ts';
import { isInside, type ClosedLines } from './inside.ts';
import type { LayerPart } from './layerMesh.ts';
import { placeSamples, sampleShape } from './samples.ts';

/** A layer as filled areas, for asking what lies in it. */
export interface LayerArea {
  readonly fills: readonly { readonly shape: Shape; readonly lines: ClosedLines }[];
  /** Of all fills, in scene units squared. */
  readonly area: number;
  /** Middle of the outlines. */
  readonly centre: readonly [number, number];
}

/** Outlines are followed in so many places a layer's size. */
const FINE = 40;

/** @param positions of `part`: where the points are, at rest or in a pose */
export function layerArea(layer: Layer, { positions, vertexPoint, vertexCount }: LayerPart): LayerArea {
  const rest = new Float32Array(vertexCount * 3);
  for (let v = 0; v < vertexCount; v++)
    rest.set(positions.subarray(vertexPoint[v] * 3, vertexPoint[v] * 3 + 3), v * 3);
  const { size, centre } = pageBox(rest);
  let area = 0;
  const fills = layer.shapes.map((shape) => {
    const samples = sampleShape(shape, rest, size / FINE || 1);
    const places = new Float32Array(samples.count * 2);
    placeSamples(samples, rest, places);
    const lines = { places, lines: samples.lines };
    if (shape.fill) area += Math.abs(signedArea(lines));
    return { shape, lines };
  });
  return { fills, area: area || size * size * 0.01, centre };
}

export const contains = ({ fills }: LayerArea, x: number, y: number): boolean =>
  fills.some(({ shape, lines }) => isInside(lines, x, y, shape.fillRule));

/** The area within closed lines; negative where they run the other way round. */
export function signedArea({ places, lines }: ClosedLines): number {
  let sum = 0;
  for (let line = 0; line + 1 < lines.length; line++)
    for (let k = lines[line], before = lines[line + 1] - 1; k < lines[line + 1]; before = k++)
      sum += places[before * 2] * places[k * 2 + 1] - places[k * 2] * places[before * 2 + 1];
  return sum / 2;
}

/** The longer side of the box around points, and its middle. */
export function pageBox(positions: Float32Array): { size: number; centre: [number, number] } {
  const box = [Infinity, Infinity, -Infinity, -Infinity];
  for (let k = 0; k < positions.length; k += 3)
    for (let axis = 0; axis < 2; axis++) {
      box[axis] = Math.min(box[axis], positions[k + axis]);
      box[axis + 2] = Math.max(box[axis + 2], positions[k + axis]);
    }
  return {
    size: Math.max(box[2] - box[0], box[3] - box[1]),
    centre: [(box[0] + box[2]) / 2, (box[1] + box[3]) / 2],
  };
}
