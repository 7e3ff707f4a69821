import type { Deformer } from '../deformer.ts';
import type { SkinArrays } from '../skin.ts';
import { type MorphAmount, type MorphedPart, PartMorpher } from './PartMorpher.ts';
import { shareAt, turnAngle, type TurnRange } from './turns.ts';

/** A shape on a part; with a turn it is on as well as far as a joint is turned. */
export interface PosedMorph extends MorphAmount {
  readonly turn?: TurnRange & { readonly parent: number };
}

/** Shapes of one part in any pose: they put its points at rest where they are to be in it. */
export class PartMorphs {
  readonly #morpher: PartMorpher;
  readonly #inverseBinds: () => Float32Array;
  #morphs: readonly PosedMorph[] = [];
  #laid: readonly number[] = [];

  /** @param inverseBinds the part's, as they are now */
  constructor(part: MorphedPart, inverseBinds: () => Float32Array) {
    this.#morpher = new PartMorpher(part);
    this.#inverseBinds = inverseBinds;
  }

  get hasTurns(): boolean {
    return this.#morphs.some(({ turn }) => turn);
  }

  /** Other shapes; call `lay` then. */
  setMorphs(morphs: readonly PosedMorph[]): void {
    this.#morphs = morphs;
    this.#laid = [NaN];
  }

  /** Moves the points at rest for a pose. The arrays must be those of the last call. */
  lay({ palette, rest, restNormals }: Pick<SkinArrays, 'palette' | 'rest' | 'restNormals'>): void {
    const amounts = this.#morphs.map(({ amount, turn }) =>
      turn ? amount + shareAt(turn, turnAngle(palette, this.#inverseBinds(), turn, turn.parent)) : amount,
    );
    if (amounts.length === this.#laid.length && amounts.every((amount, i) => amount === this.#laid[i]))
      return;
    this.#laid = amounts;
    this.#morpher.apply(
      this.#morphs.map((morph, i) => ({ ...morph, amount: amounts[i] })),
      rest,
      restNormals,
    );
  }
}

/**
 * A deformer before which shapes are laid that go on by a joint's turn.
 * @param morphs by the parts' rest positions (the same array), which are written
 */
export function morphedDeformer(skinned: Deformer, morphs: ReadonlyMap<Float32Array, PartMorphs>): Deformer {
  return {
    skinning: skinned.skinning,
    prepare: (palette, dual) => skinned.prepare(palette, dual),
    affectedBy: (arrays, list) => skinned.affectedBy(arrays, list),
    skinRange(arrays, dual, from, to) {
      morphs.get(arrays.rest)?.lay(arrays);
      skinned.skinRange(arrays, dual, from, to);
    },
    skinList(arrays, dual, list) {
      morphs.get(arrays.rest)?.lay(arrays);
      skinned.skinList(arrays, dual, list);
    },
    skinSlots(arrays, dual, list, slots) {
      morphs.get(arrays.rest)?.lay(arrays);
      skinned.skinSlots(arrays, dual, list, slots);
    },
  };
}
