import { type Deformer, morphedDeformer, PartMorphs } from '@judoka/core/deform';
import { type Shape, shapeAmountPath, shapesOfDocument } from '@judoka/core/document';
import type { OpenDocument } from '../document/OpenDocument.ts';
import { posedShape, turnOf } from '../document/posedShapes.ts';
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
  readonly #changed: (isOtherLook: boolean) => void;
  /** Whether a shape goes on by a joint’s turn. */
  #hasTurns = false;
  readonly #laid = new Map<Float32Array, PartMorphs>();
  /** What is dialled and not an edit yet; of whoever only looks it never becomes one. */
  readonly #dialled = new Map<string, number>();
  #timer: ReturnType<typeof setTimeout> | undefined;
  /** What is on the parts now, in words. */
  #applied = '';

  /** @param changed points lie elsewhere at rest; or shapes begin, or end, to go by the pose */
  constructor(
    document: MorphedDocument,
    parts: readonly ScenePart[],
    changed: (isOtherLook: boolean) => void,
  ) {
    this.#document = document;
    this.#parts = parts;
    this.#changed = changed;
    document.unsettled.add(() => this.settle());
    document.events.subscribe('values', () => this.follow());
    document.events.subscribe('joints', () => this.follow());
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
      amount: this.#dialled.get(shape.key) ?? shape.amount,
    }));
  }

  /** Puts so much of a shape on the stage; it is an edit once it rests. */
  dial(key: string, amount: number): void {
    if (!this.#dialled.has(key)) this.settle();
    this.#dialled.set(key, amount);
    clearTimeout(this.#timer);
    this.#timer = setTimeout(() => this.settle(), SETTLED_MS);
    this.follow();
  }

  /** Makes what is dialled the document's. */
  settle(): void {
    clearTimeout(this.#timer);
    if (this.#dialled.size === 0 || !this.#document.mayChange) return;
    const dialled = [...this.#dialled];
    this.#dialled.clear();
    for (const [key, amount] of dialled) {
      const name = this.shapes.find((shape) => shape.key === key)?.name ?? 'shape';
      this.#document.setValues(
        `Shape ${name}`,
        { [shapeAmountPath(key)]: amount },
        { growsAs: `shape:${key}` },
      );
    }
  }

  /** Takes all shapes back to how the file has them. */
  reset(): void {
    this.settle();
    const { shapeAmounts } = this.#document.settings;
    const paths = Object.keys(shapeAmounts).map((key) => [shapeAmountPath(key), null] as const);
    this.#document.setValues('All shapes as they came', Object.fromEntries(paths));
  }

  /** What deforms parts with the shapes that go by the pose. @param skinned what skins them */
  deformerOver(skinned: Deformer): Deformer {
    return this.#hasTurns ? morphedDeformer(skinned, this.#laid) : skinned;
  }

  /** Parts have other points at rest, which lie in the arrays already: shapes are put on top of them. */
  restMoved(parts: readonly number[]): void {
    for (const index of parts) this.#laid.delete(this.#parts[index].skin.rest);
    this.#applied = '';
    this.#apply();
  }

  /** Does what the document wants now. */
  follow(): void {
    const had = this.#hasTurns;
    if (this.#apply()) this.#changed(had || this.#hasTurns);
  }

  /** @returns whether points lie elsewhere now */
  #apply(): boolean {
    const {
      character: { morphs: all, skeleton },
      saved,
    } = this.#document;
    if (all.length === 0) return false;
    const { shapes } = this;
    const wanted = JSON.stringify(
      shapes.map((shape) => [
        ...[shape.amount, shape.morph, turnOf(shape, skeleton)],
        saved.masks.find(({ id }) => id === shape.mask)?.attachment,
      ]),
    );
    if (wanted === this.#applied) return false;
    this.#applied = wanted;
    this.#hasTurns = shapes.some((shape) => turnOf(shape, skeleton));
    for (const part of this.#parts) {
      const morphs = shapes.flatMap((shape) => posedShape(this.#document, shape, part.index));
      const known = this.#laid.get(part.skin.rest);
      if (morphs.length === 0 && !known) continue;
      const laid = known ?? new PartMorphs(part.part, () => part.part.inverseBinds);
      this.#laid.set(part.skin.rest, laid);
      laid.setMorphs(morphs);
      laid.lay(part.skin);
    }
    return true;
  }
}
