import { withLayerOutlines } from '../drawing/layerOutlines.ts';
import { recoverQuads } from '../mesh/quads.ts';
import type { Character } from './character.ts';
import { withPointCount } from './pointCounts.ts';
import type { DocumentSettings } from './settings.ts';

/**
 * A flat character whose layers have other outlines than its file. Points that were added have no weights of the file's.
 * What is not about a layer of the drawing is passed over.
 */
export function withOutlines(character: Character, outlines: DocumentSettings['outlines']): Character {
  const { drawing } = character;
  if (!drawing || Object.keys(outlines).length === 0) return character;
  const layers = [...drawing.layers];
  const parts = character.parts.map((part, i) => {
    const changed = outlines[i];
    const made = changed && withLayerOutlines(layers[i], part, changed);
    if (!made) return part;
    layers[i] = made.layer;
    const { offsets, points } = recoverQuads(made.part.triangles, made.part.positions);
    return { ...part, ...made.part, corners: undefined, polygonOffsets: offsets, polygonPoints: points };
  });
  return {
    ...character,
    drawing: { ...drawing, layers },
    parts,
    rows: character.rows.map((rows, i) => withPointCount(rows, parts[i].pointCount)),
    sourceWeights: character.sourceWeights.map((source, i) =>
      parts[i] === character.parts[i] ? source : { ...source, asCame: new Uint8Array(parts[i].vertexCount) },
    ),
  };
}
