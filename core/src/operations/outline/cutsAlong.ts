import type { OutlineCut } from '../../drawing/OutlineEditor.ts';
import { segmentsOf } from '../../drawing/drawing.ts';
import { outlinesOfLayer } from '../../drawing/layerOutlines.ts';
import type { LayerCuts, OutlineSubject } from './changeOutlines.ts';
import { OutlineWay, type WaySegment } from './OutlineWay.ts';

/** Pieces that a segment is cut into at most. */
const MAX_PIECES = 200;

/**
 * Where outlines need points so that none is farther from the next than a length: each segment in even pieces.
 *
 * @param spacing in scene units, above 0
 */
export function cutsAlong(
  { drawing, parts }: Pick<OutlineSubject, 'drawing' | 'parts'>,
  layers: readonly number[],
  spacing: number,
): LayerCuts {
  const cuts = new Map<number, OutlineCut[]>();
  for (const layer of layers) {
    const { positions, vertexPoint } = parts[layer];
    const place = (v: number): number[] => [positions[vertexPoint[v] * 3], positions[vertexPoint[v] * 3 + 1]];
    const found = outlinesOfLayer(drawing.layers[layer]).flatMap((outline, index) => {
      const segments = segmentsOf(outline).map((vertices, segment): WaySegment => ({
        ...{ outline: index, segment },
        curve: vertices.flatMap(place),
      }));
      const way = new OutlineWay(segments, outline.closed);
      return segments.flatMap(({ segment }) => {
        const [from, to] = [way.lengthAt(segment, 0), way.lengthAt(segment, 1)];
        const pieces = Math.min(MAX_PIECES, Math.ceil((to - from) / spacing - 1e-6));
        return Array.from({ length: Math.max(0, pieces - 1) }, (_, k) =>
          way.cutAt(from + ((k + 1) / pieces) * (to - from)),
        ).filter((cut) => cut !== undefined);
      });
    });
    if (found.length > 0) cuts.set(layer, found);
  }
  return cuts;
}
