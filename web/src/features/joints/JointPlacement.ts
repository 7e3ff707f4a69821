import {
  applySkeletonChange,
  composeSkeletonChanges,
  invertSkeletonChange,
  type JointPairs,
  moveJoints,
  type Place,
  type SkeletonChange,
} from '@judoka/core/skeleton';
import { editOf } from '@judoka/core/document';
import type { WriteTurn } from '../../document/Writer.ts';
import type { Editing } from '../../scene/Editing.ts';

export interface PlacementOptions {
  /** Whether what hangs below stays where it is; else it comes along. */
  readonly childrenStay: boolean;
  /** Whether the partners go to the mirrored places. */
  readonly mirrored: boolean;
}

/** Moves joints at rest while a person looks on: shown at every step, one edit when it is kept. */
export class JointPlacement {
  readonly #at: Editing;
  #turn: WriteTurn | undefined;
  /** What is shown beyond what is kept. */
  #shown: SkeletonChange = [];

  constructor(at: Editing) {
    this.#at = at;
  }

  /** Whether something is shown that is not kept. */
  get active(): boolean {
    return this.#shown.length > 0;
  }

  /** Shows joints at places instead of what was shown before. @throws CoreError if a place is none */
  show(places: ReadonlyMap<number, Place>, { childrenStay, mirrored }: PlacementOptions): void {
    this.#turn ??= this.#at.document.writer.begin('A drag of joints');
    const back = invertSkeletonChange(this.#shown);
    const kept = applySkeletonChange(this.#at.document.skeleton, back);
    const all = mirrored ? withPartners(places, this.#at.document.pairs) : places;
    const next = moveJoints(kept, all, childrenStay);
    this.#at.document.apply(editOf({ joints: composeSkeletonChanges(back, next) }));
    this.#shown = next;
  }

  keep(label: string): void {
    const kept = this.#shown;
    this.#shown = [];
    if (kept.length > 0) this.#at.document.commit(label, { joints: kept });
    this.#turn?.end();
    this.#turn = undefined;
  }
}

/** Places of joints and of their partners; what is on the middle stays there. */
function withPartners(
  places: ReadonlyMap<number, Place>,
  { partner, axis, middle }: JointPairs,
): ReadonlyMap<number, Place> {
  const all = new Map(places);
  for (const [joint, place] of places) {
    const other = partner[joint];
    if (other < 0) continue;
    const across = (x: number): number => (other === joint ? middle : 2 * middle - x);
    all.set(other, [
      axis === 0 ? across(place[0]) : place[0],
      axis === 1 ? across(place[1]) : place[1],
      axis === 2 ? across(place[2]) : place[2],
    ]);
  }
  return all;
}
