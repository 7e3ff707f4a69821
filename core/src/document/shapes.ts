import type { TurnRange } from '../deform/morph/turns.ts';
import type { Morph } from '../mesh/morphs.ts';

/** What is said of a shape of the file, or a shape that was made of one. */
export interface SavedShape {
  readonly name?: string;
  /** The mask that says how much of it each point takes. */
  readonly mask?: string;
  /** Whether it stays behind when the character leaves. */
  readonly isLeftOut?: boolean;
  /** Of one that was made here: the number of the file's shape that it is made of. */
  readonly of?: number;
  readonly savedAt?: number;
  /** A joint's turn by which it goes on. */
  readonly turn?: TurnRange;
}

/** By key: a number of the file's shapes, or an id of one that was made. */
export type SavedShapes = Readonly<Record<string, SavedShape | undefined>>;

/** A shape as a document has it. */
export interface Shape {
  readonly key: string;
  readonly name: string;
  /** Number of the file's shape that it is, or is made of. */
  readonly morph: number;
  readonly mask: string | undefined;
  readonly isLeftOut: boolean;
  readonly isMade: boolean;
  /** How much of it is on the character now, beside what a turn adds. */
  readonly amount: number;
  readonly turn: TurnRange | undefined;
}

/** A shape is dialled between these. */
export const MAX_SHAPE_AMOUNT = 10;

/** All shapes of a character: the file's in their order, then those that were made, the oldest first. */
export function shapesOfDocument(
  morphs: readonly Morph[],
  {
    shapes,
    shapeAmounts,
  }: { readonly shapes: SavedShapes; readonly shapeAmounts: Readonly<Record<string, number>> },
): Shape[] {
  const shapeOf = (key: string, morph: number, saved: SavedShape | undefined, isMade: boolean): Shape => ({
    ...{ key, morph, isMade, name: saved?.name ?? morphs[morph].name, mask: saved?.mask, turn: saved?.turn },
    isLeftOut: saved?.isLeftOut === true,
    amount: shapeAmounts[key] ?? (isMade ? 0 : morphs[morph].weight),
  });
  const own = morphs.map((_, i) => shapeOf(String(i), i, shapes[String(i)], false));
  const made = Object.entries(shapes)
    .flatMap(([key, saved]) =>
      saved?.of !== undefined && saved.of < morphs.length ? [{ key, saved, of: saved.of }] : [],
    )
    .sort((a, b) => (a.saved.savedAt ?? 0) - (b.saved.savedAt ?? 0) || (a.key < b.key ? -1 : 1));
  return [...own, ...made.map(({ key, saved, of }) => shapeOf(key, of, saved, true))];
}
