import {
  type Deformer,
  deformerOf,
  layRelaxScratch,
  relaxedDeformer,
  type RelaxScratch,
  SurfaceRelaxer,
} from '@judoka/core/deform';
import { type RelaxedLook, skinPart } from '@judoka/core/document';
import { type KernelMemory, PLAIN_MEMORY } from '@judoka/core/memory';
import { type LookedAt, relaxedParts } from '../document/look.ts';
import type { OpenDocument } from '../document/OpenDocument.ts';
import type { ScenePart } from './ScenePart.ts';

type RelaxedDocument = LookedAt & Pick<OpenDocument, 'bound' | 'memory' | 'notifyError'>;

/** Relaxes the surface on the stage and in the strip as the document wants it. It takes a moment to begin. */
export class StageRelaxers {
  readonly #document: RelaxedDocument;
  readonly #parts: readonly ScenePart[];
  readonly #scratch: RelaxScratch;
  readonly #changed: () => void;
  readonly #byRest = new Map<Float32Array, SurfaceRelaxer>();
  /** What they do now, and what they are to do. */
  #done = '';
  #wanted = '';

  /** @param changed what is drawn has to be deformed anew */
  constructor(document: RelaxedDocument, parts: readonly ScenePart[], changed: () => void) {
    this.#document = document;
    this.#parts = parts;
    this.#scratch = layRelaxScratch(document.memory);
    this.#changed = changed;
  }

  /**
   * The deformer of the document's surface.
   * @param memory where the arrays lie that it is given
   * @param over   what comes before relaxing, on what skins
   */
  deformerIn(memory: KernelMemory, over: (skinned: Deformer) => Deformer): Deformer {
    const skinned = over(deformerOf(this.#document.settings.skinning, memory));
    if (this.#byRest.size === 0) return skinned;
    const scratch = memory === this.#document.memory ? this.#scratch : layRelaxScratch(PLAIN_MEMORY);
    return relaxedDeformer(skinned, this.#byRest, scratch);
  }

  /** Does what the document wants now. */
  follow(): void {
    const { settings, saved } = this.#document;
    const within = saved.selections.find(({ id }) => id === settings.relaxing?.selection);
    const mask = saved.masks.find(({ id }) => id === settings.relaxing?.mask);
    const place = [within !== undefined, mask?.attachment];
    const wanted = settings.relaxing ? JSON.stringify([settings.relaxing, place]) : '';
    if (wanted === this.#wanted) return;
    this.#wanted = wanted;
    this.#begin(wanted).catch(this.#document.notifyError);
  }

  /** Points lie elsewhere at rest: relaxing goes by where they were until it is laid anew. */
  restMoved(): void {
    if (!this.#wanted) return;
    this.#byRest.clear();
    this.#done = '';
    this.#begin(this.#wanted).catch(this.#document.notifyError);
  }

  async #begin(wanted: string): Promise<void> {
    const look = relaxedParts(this.#document);
    if (look)
      for (const part of this.#parts) {
        if (part.part.role !== 'skinned' || this.#byRest.has(part.skin.rest)) continue;
        const relaxer = await this.#relaxerOf(part, look.relaxing);
        // Something else is wanted by now: whoever wants it goes on from here.
        if (wanted !== this.#wanted) return;
        this.#byRest.set(part.skin.rest, relaxer);
      }
    if (wanted !== this.#wanted) return;
    if (!look) this.#byRest.clear();
    for (const { index, skin } of this.#parts) {
      const relaxer = this.#byRest.get(skin.rest);
      if (!relaxer || !look) continue;
      relaxer.relaxing = look.relaxing;
      relaxer.setAmounts(look.amounts[index]);
    }
    if (this.#done === wanted) return;
    this.#done = wanted;
    this.#changed();
  }

  #relaxerOf({ index, part, paint }: ScenePart, relaxing: RelaxedLook): Promise<SurfaceRelaxer> {
    const { pointCount, triangles } = part;
    const { bound, character } = this.#document;
    const subject = { ...character, parts: bound.character.parts };
    const { positions: rest, normals: restNormals } = skinPart(subject, index, {}, true);
    return SurfaceRelaxer.create(
      { pointCount, triangles, neighbours: paint.neighbours, rest, restNormals },
      relaxing,
    );
  }
}
