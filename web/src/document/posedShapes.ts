import type { PosedMorph } from '@judoka/core/deform';
import { type Character, type DocumentSettings, type Shape, shapesOfDocument } from '@judoka/core/document';
import { type MorphTarget, movesOfPoints, type PointMoves } from '@judoka/core/mesh';
import type { Skeleton } from '@judoka/core/skeleton';
import { maskAmounts, type SavedItems } from './SavedItems.ts';

/** The document whose shapes they are. */
export interface ShapedDocument {
  readonly character: Pick<Character, 'morphs' | 'parts' | 'skeleton'>;
  readonly saved: Pick<SavedItems, 'masks'>;
  readonly settings: DocumentSettings;
}

const known = new WeakMap<MorphTarget, { readonly of: Uint32Array; readonly moves: PointMoves }>();

/** What a shape of the file does to a part, by points; undefined where it does nothing there. */
export function movesOf(
  { character }: Pick<ShapedDocument, 'character'>,
  morph: number,
  part: number,
): PointMoves | undefined {
  const target = character.morphs[morph].targets.find((each) => each.part === part);
  if (!target) return undefined;
  const { vertexPoint } = character.parts[part];
  const held = known.get(target);
  if (held?.of === vertexPoint) return held.moves;
  const moves = movesOfPoints(target, vertexPoint);
  known.set(target, { of: vertexPoint, moves });
  return moves;
}

/** How much of a shape each point of a part takes; undefined for all of it. */
export function maskOfShape(
  { character, saved }: ShapedDocument,
  { mask }: Shape,
  part: number,
): Float32Array | undefined {
  const held = saved.masks.find(({ id }) => id === mask);
  return held && maskAmounts(held, part, character.parts[part]);
}

/** A shape on a part, with the turn that it goes on by; nothing where there is none of it. */
export function posedShape(document: ShapedDocument, shape: Shape, part: number): PosedMorph[] {
  const turn = turnOf(shape, document.character.skeleton);
  const moves = shape.amount === 0 && !turn ? undefined : movesOf(document, shape.morph, part);
  const mask = maskOfShape(document, shape, part);
  return moves ? [{ moves, amount: shape.amount, ...(mask && { mask }), ...(turn && { turn }) }] : [];
}

/** A shape's turn, of a joint that is there. */
export function turnOf({ turn }: Shape, { joints }: Skeleton): PosedMorph['turn'] {
  const joint = turn && joints.at(turn.joint);
  return turn && joint && !joint.removed ? { ...turn, parent: joint.parent } : undefined;
}

/** By part, the shapes that go on by a joint's turn, without what is dialled: what bends are measured with. */
export function turnedShapes(document: ShapedDocument): (readonly PosedMorph[] | undefined)[] {
  const { character, settings } = document;
  const turned = shapesOfDocument(character.morphs, settings).filter((shape) =>
    turnOf(shape, character.skeleton),
  );
  if (turned.length === 0) return [];
  return character.parts.map((_, part) => {
    const morphs = turned.flatMap((shape) => posedShape(document, { ...shape, amount: 0 }, part));
    return morphs.length > 0 ? morphs : undefined;
  });
}
