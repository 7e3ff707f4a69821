import { type MorphAmount, PartMorpher } from '@judoka/core/deform';
import { type Shape, shapeAmountPath, shapesOfDocument } from '@judoka/core/document';
import { movesOfPoints, type PointMoves } from '@judoka/core/mesh';
import type { OpenDocument } from '../document/OpenDocument.ts';
import { maskAmounts } from '../document/SavedItems.ts';
import type { ScenePart } from './ScenePart.ts';

type MorphedDocument = Pick<
  OpenDocument,
  'character' | 'events' | 'mayChange' | 'saved' | 'setValues' | 'settings' | 'unsettled'
>;

/** A shape that rests for this long is an edit. */
const SETTLED_MS = 250;

/** Shapes of the file on the stage: how much of each there is, and where they put the parts' points at rest. */
export class StageMorphs {
  readonly #document: MorphedDocument;
  readonly #parts: readonly ScenePart[];
  readonly #changed: () => void;
  readonly #morphers = new Map<number, PartMorpher>();
  readonly #moves = new Map<string, PointMoves>();
  /** What is dialled and not an edit yet. */
  #dialled: { readonly key: string; readonly amount: number } | undefined;
  #timer: ReturnType<typeof setTimeout> | undefined;
  /** What is on the parts now, in words. */
  #applied = '';

  /** @param changed points lie elsewhere at rest */
  constructor(document: MorphedDocument, parts: readonly ScenePart[], changed: () => void) {
    this.#document = document;
    this.#parts = parts;
    this.#changed = changed;
    document.unsettled.add(() => this.settle());
    document.events.subscribe('values', () => this.follow());
    this.#apply();
  }

  close(): void {
    clearTimeout(this.#timer);
  }

  /** All shapes, with as much of each as is on the stage. */
  get shapes(): Shape[] {
    const { character, settings } = this.#document;
    return shapesOfDocument(character.morphs, settings).map((shape) => ({
      ...shape,
      amount: this.#dialled?.key === shape.key ? this.#dialled.amount : shape.amount,
    }));
  }

  /** Puts so much of a shape on the stage; it is an edit once it rests. */
  dial(key: string, amount: number): void {
    if (!this.#document.mayChange) return;
    if (this.#dialled?.key !== key) this.settle();
    this.#dialled = { key, amount };
    clearTimeout(this.#timer);
    this.#timer = setTimeout(() => this.settle(), SETTLED_MS);
    this.follow();
  }

  /** Makes what is dialled the document's. */
  settle(): void {
    clearTimeout(this.#timer);
    if (!this.#dialled) return;
    const { key, amount } = this.#dialled;
    const name = this.shapes.find((shape) => shape.key === key)?.name ?? 'shape';
    this.#dialled = undefined;
    this.#document.setValues(
      `Shape ${name}`,
      { [shapeAmountPath(key)]: amount },
      { growsAs: `shape:${key}` },
    );
  }

  /** Takes all shapes back to how the file has them. */
  reset(): void {
    this.settle();
    const { shapeAmounts } = this.#document.settings;
    const paths = Object.keys(shapeAmounts).map((key) => [shapeAmountPath(key), null] as const);
    this.#document.setValues('All shapes as they came', Object.fromEntries(paths));
  }

  /** What a shape does to a part, by points; undefined where it does nothing there. */
  movesOf(morph: number, part: number): PointMoves | undefined {
    const key = `${morph} ${part}`;
    const known = this.#moves.get(key);
    if (known) return known;
    const target = this.#document.character.morphs[morph].targets.find((each) => each.part === part);
    if (!target) return undefined;
    const moves = movesOfPoints(target, this.#parts[part].part.vertexPoint);
    this.#moves.set(key, moves);
    return moves;
  }

  /** How much of a shape each point of a part takes; undefined for all of it. */
  maskOf({ mask }: Shape, part: number): Float32Array | undefined {
    const held = this.#document.saved.masks.find(({ id }) => id === mask);
    return held && maskAmounts(held, part, this.#parts[part].part.pointCount);
  }

  /** Does what the document wants now. */
  follow(): void {
    if (this.#apply()) this.#changed();
  }

  /** @returns whether points lie elsewhere now */
  #apply(): boolean {
    const { character, saved } = this.#document;
    if (character.morphs.length === 0) return false;
    const shapes = this.shapes;
    const wanted = JSON.stringify(
      shapes.map(({ amount, morph, mask }) => [
        amount,
        morph,
        saved.masks.find(({ id }) => id === mask)?.attachment,
      ]),
    );
    if (wanted === this.#applied) return false;
    this.#applied = wanted;
    for (const part of this.#parts) {
      const amounts = shapes.flatMap((shape): MorphAmount[] => {
        const moves = shape.amount === 0 ? undefined : this.movesOf(shape.morph, part.index);
        const mask = this.maskOf(shape, part.index);
        return moves ? [{ moves, amount: shape.amount, ...(mask && { mask }) }] : [];
      });
      if (amounts.length === 0 && !this.#morphers.has(part.index)) continue;
      const morpher = this.#morphers.get(part.index) ?? new PartMorpher(part.part);
      this.#morphers.set(part.index, morpher);
      morpher.apply(amounts, part.skin.rest, part.skin.restNormals);
    }
    return true;
  }
}
