import type { CharacterPart } from '../../document/character.ts';
import { nearestOn, type CurvePlaces } from '../../drawing/curves.ts';
import { segmentsOf, type Layer } from '../../drawing/drawing.ts';
import { outlinesOfLayer } from '../../drawing/layerOutlines.ts';
import type { OutlineCut } from '../../drawing/OutlineEditor.ts';

/** The place on a layer's outlines that is nearest to a place in the page, and how far off it is; undefined where none is near. */
export function nearestCut(
  layer: Layer,
  part: Pick<CharacterPart, 'vertexPoint'>,
  positions: Float32Array,
  x: number,
  y: number,
  within = Infinity,
): { cut: OutlineCut; distance: number } | undefined {
  let best: { cut: OutlineCut; distance: number } | undefined;
  outlinesOfLayer(layer).forEach((outline, index) => {
    segmentsOf(outline).forEach((vertices, segment) => {
      const curve = vertices.flatMap((v) => [
        positions[part.vertexPoint[v] * 3],
        positions[part.vertexPoint[v] * 3 + 1],
      ]);
      if (!isNear(curve, x, y, best?.distance ?? within)) return;
      const { at, distance } = nearestOn(curve, x, y);
      if (distance <= (best?.distance ?? within)) best = { cut: { outline: index, segment, at }, distance };
    });
  });
  return best;
}

/** Whether a curve can come so near to a place: it lies within the box around its points. */
function isNear(curve: CurvePlaces, x: number, y: number, within: number): boolean {
  let [left, low, right, top] = [Infinity, Infinity, -Infinity, -Infinity];
  for (let k = 0; k < curve.length; k += 2) {
    left = Math.min(left, curve[k]);
    right = Math.max(right, curve[k]);
    low = Math.min(low, curve[k + 1]);
    top = Math.max(top, curve[k + 1]);
  }
  return x >= left - within && x <= right + within && y >= low - within && y <= top + within;
}
