import type { Character } from './character.ts';
import { readSettings, type DocumentSettings } from './settings.ts';
import type { DocumentValues } from './values.ts';
import { withOutlines } from './withOutlines.ts';
import { withWelds } from './withWelds.ts';

/** What a document says of the shape of parts, other than their file: it is laid out when a character is opened. */
export type ShapeSettings = Pick<DocumentSettings, 'welds' | 'outlines'>;

export const FILE_SHAPES: ShapeSettings = { welds: {}, outlines: {} };

/** Of a document's values, those that its shapes are laid out by. */
export function shapesOf(values: DocumentValues): ShapeSettings {
  const { welds, outlines } = readSettings(values);
  return { welds, outlines };
}

/** A character with its parts as a document has them; only the shapes, not the weights. */
export const withShapes = (character: Character, { welds, outlines }: ShapeSettings): Character =>
  withWelds(withOutlines(character, outlines), welds);
