import { type Deformer, type LaidRibbon, ribbonDeformer, RibbonPoser } from '@judoka/core/deform';
import { laidRibbons } from '../document/laidRibbons.ts';
import type { OpenDocument } from '../document/OpenDocument.ts';
import type { ScenePart } from './ScenePart.ts';

type RibbonDocument = Pick<OpenDocument, 'character' | 'events' | 'saved' | 'settings' | 'skeleton'>;

/** Ribbons on the stage: parts that they hold go where the chain's curve takes them. */
export class StageRibbons {
  readonly #document: RibbonDocument;
  readonly #parts: readonly ScenePart[];
  readonly #changed: () => void;
  readonly #posers = new Map<Float32Array, readonly RibbonPoser[]>();
  #laid: readonly (readonly LaidRibbon[])[] = [];

  /** @param changed what is drawn has to be deformed anew */
  constructor(document: RibbonDocument, parts: readonly ScenePart[], changed: () => void) {
    this.#document = document;
    this.#parts = parts;
    this.#changed = changed;
    document.events.subscribe('values', () => this.follow());
    document.events.subscribe('joints', () => this.follow());
    this.#lay();
  }

  deformerOver(skinned: Deformer): Deformer {
    return this.#posers.size > 0 ? ribbonDeformer(skinned, this.#posers) : skinned;
  }

  /** Does what the document wants now. */
  follow(): void {
    if (this.#lay()) this.#changed();
  }

  /** @returns whether anything is held otherwise now */
  #lay(): boolean {
    const wanted = this.#parts.map(({ index }) => laidRibbons(this.#document, index));
    const isSame = wanted.every(
      (own, i) =>
        own.length === (this.#laid.at(i)?.length ?? 0) && own.every((one, k) => one === this.#laid[i][k]),
    );
    if (isSame) return false;
    this.#laid = wanted;
    this.#posers.clear();
    this.#parts.forEach(({ skin }, i) => {
      if (wanted[i].length > 0)
        this.#posers.set(
          skin.rest,
          wanted[i].map((ribbon) => new RibbonPoser(ribbon)),
        );
    });
    return true;
  }
}
