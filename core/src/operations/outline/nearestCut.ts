import type { CharacterPart } from '../../document/character.ts';
import { nearestOn } from '../../drawing/curves.ts';
import { segmentsOf, type Layer } from '../../drawing/drawing.ts';
import { outlinesOfLayer } from '../../drawing/layerOutlines.ts';
import type { OutlineCut } from '../../drawing/OutlineEditor.ts';

/** The place on a layer's outlines that is nearest to a place in the page, and how far off it is. */
export function nearestCut(
  layer: Layer,
  part: Pick<CharacterPart, 'vertexPoint'>,
  positions: Float32Array,
  x: number,
  y: number,
): { cut: OutlineCut; distance: number } | undefined {
  let best: { cut: OutlineCut; distance: number } | undefined;
  outlinesOfLayer(layer).forEach((outline, index) => {
    segmentsOf(outline).forEach((vertices, segment) => {
      const curve = vertices.flatMap((v) => [
        positions[part.vertexPoint[v] * 3],
        positions[part.vertexPoint[v] * 3 + 1],
      ]);
      const { at, distance } = nearestOn(curve, x, y);
      if (!best || distance < best.distance) best = { cut: { outline: index, segment, at }, distance };
    });
  });
  return best;
}
