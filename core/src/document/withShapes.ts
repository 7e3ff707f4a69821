import type { Character } from './character.ts';
import { withCages } from './withCages.ts';
import { readSettings, type DocumentSettings } from './settings.ts';
import type { DocumentValues } from './values.ts';
import { withMeshes } from './withMeshes.ts';
import { withMovedPoints } from './withMovedPoints.ts';
import { withOutlines } from './withOutlines.ts';
import { withWelds } from './withWelds.ts';

/** What a document says of the shape of parts, other than their file: it is laid out when a character is opened. */
export type ShapeSettings = Pick<DocumentSettings, 'welds' | 'outlines' | 'meshes' | 'moved' | 'cages'>;

export const FILE_SHAPES: ShapeSettings = { welds: {}, outlines: {}, meshes: {}, moved: {}, cages: {} };

/** Of a document's values, those that its shapes are laid out by. */
export function shapesOf(values: DocumentValues): ShapeSettings {
  const { welds, outlines, meshes, moved, cages } = readSettings(values);
  return { welds, outlines, meshes, moved, cages };
}

/** A character with its parts as a document has them; only the shapes, not the weights. */
export const withShapes = (character: Character, shapes: ShapeSettings): Character =>
  withMovedPoints(withPoints(character, shapes), shapes.moved);

/** A character with the points and faces that a document has, at their own places. */
export const withPoints = (
  character: Character,
  { welds, outlines, meshes, cages }: Omit<ShapeSettings, 'moved'>,
): Character => withWelds(withMeshes(withCages(withOutlines(character, outlines), cages), meshes), welds);
