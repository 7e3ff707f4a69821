import type { Character } from '../document/character.ts';
import { type SavedShapes, shapesOfDocument } from '../document/shapes.ts';
import type { LeavingMorph } from './gltf/writeMorphs.ts';

/**
 * The shapes that go out with a character, as a document has them.
 * @param maskOf the amounts of a mask by part; undefined for one that is gone: the whole shape goes then
 * @returns undefined where nothing is said of shapes: they go out as they came
 */
export function leavingMorphs(
  { morphs }: Pick<Character, 'morphs'>,
  shapes: SavedShapes,
  maskOf: (id: string) => ReadonlyMap<number, Float32Array> | undefined,
): LeavingMorph[] | undefined {
  if (morphs.length === 0 || Object.keys(shapes).length === 0) return undefined;
  return shapesOfDocument(morphs, { shapes, shapeAmounts: {} }).flatMap(
    ({ morph, name, mask, isMade, isLeftOut, turn }) => {
      const amounts = mask === undefined ? undefined : maskOf(mask);
      return isLeftOut ? [] : [{ morph, name, isMade, ...(amounts && { amounts }), ...(turn && { turn }) }];
    },
  );
}
