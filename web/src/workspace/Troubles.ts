import { blemishWords, strayWords } from '@judoka/core/analysis';
import { rankBends, worstPose, type JointTrial } from '@judoka/core/analysis/bends';
import type { Blemish } from '@judoka/core/document';
import { OTHERS } from '@judoka/core/weights';
import { Events } from '../document/events.ts';
import type { BlemishList } from '../features/blemishes/BlemishList.ts';
import { mirrorOnto } from '../features/mirror/mirrorOnto.ts';
import type { Mirroring } from '../features/mirror/Mirroring.ts';
import { showRangePose } from '../features/range/showRangePose.ts';
import type { StrayList } from '../features/strays/StrayList.ts';
import { takeAway } from '../features/strays/takeAway.ts';
import { NO_MARKS } from '../scene/Scene.ts';
import type { Editing } from '../scene/Editing.ts';
import { uiSettings } from '../settings/store.ts';
import type { OfferChange } from '../document/alternative.ts';
import type { Curing } from '../features/cure/Curing.ts';
import type { Trial } from '../trial/Trial.ts';

/** Something that is wrong with weights: where, what, and what can be done in one step. */
export interface Trouble {
  /** The same while it is the same. */
  readonly key: string;
  readonly joint: number;
  readonly words: string;
  readonly points: number;
  readonly cureWords: string;
  /** Chooses the joint, takes the pose in which it shows, and looks at the place. */
  readonly show: () => void;
  readonly cure: () => void;
  /** Proposes that first: old against new, measured, more or less of it. */
  readonly propose: () => void;
  /** Says that it is meant; missing where that cannot be said. */
  readonly dismiss?: () => void;
}

interface Sources extends Editing {
  readonly trial: Trial;
  readonly mirroring: Mirroring;
  readonly strayList: StrayList;
  readonly blemishList: BlemishList;
  readonly curing: Curing;
}

/**
 * What is wrong with weights, the same for badges, counts, filters, the key that walks through it and the cures beside
 * the brush: patches that stray, noise, hard borders, and bends that are worse than on the other side.
 */
export class Troubles {
  readonly #at: Sources;
  readonly events = new Events<'changed'>();
  #list: readonly Trouble[] | undefined;
  #counts: Uint32Array | undefined;
  #isCounted = false;
  /** Key of the one that is looked at. */
  #shown = '';

  constructor(at: Sources) {
    this.#at = at;
    for (const { events } of [at.strayList, at.blemishList, at.trial])
      events.subscribe('changed', () => this.#changed());
    at.document.events.subscribe('joints', () => this.#changed());
  }

  #changed(): void {
    this.#list = undefined;
    this.#isCounted = false;
    this.events.publish('changed');
  }

  /** Whether all that is there to find has been looked for, as the weights are. */
  get isKnown(): boolean {
    const looks = [this.#at.strayList.look, this.#at.blemishList.look];
    return looks.every(({ found, isStale }) => found !== undefined && !isStale);
  }

  /** All of it, worst first: what is in the wrong place, then what runs badly, then sides. */
  list(): readonly Trouble[] {
    this.#list ??= [
      ...this.#at.strayList.open().map((stray) => this.#ofStray(stray)),
      ...this.#at.blemishList.open().map((blemish) => this.#ofBlemish(blemish)),
      ...this.#lopsided().map((trial) => this.#ofSide(trial)),
    ];
    return this.#list;
  }

  of(joint: number): readonly Trouble[] {
    return this.list().filter((trouble) => trouble.joint === joint);
  }

  /** Uint32Array, by joint that there is room for: points that are in trouble, or one where a bend is; kept until it changes. */
  byJoint(): Uint32Array {
    if (this.#isCounted && this.#counts) return this.#counts;
    const counts = new Uint32Array(this.#at.document.bound.jointCapacity);
    for (const { joint, points } of this.list()) counts[joint] += points;
    // The same array as long as it says the same: whoever lists by it need not list anew.
    if (!this.#counts || counts.some((count, joint) => count !== this.#counts?.[joint]))
      this.#counts = counts;
    this.#isCounted = true;
    return this.#counts;
  }

  /** What is wrong with a joint, in words; empty where nothing is. */
  wordsOf(joint: number): string {
    return this.of(joint)
      .map(({ words }) => words)
      .join('; ');
  }

  /** The one that is looked at, as long as it is there. */
  shown(): Trouble | undefined {
    return this.#shown === '' ? undefined : this.list().find(({ key }) => key === this.#shown);
  }

  /** Shows the worst, and what follows when it is asked again. @returns false where there is nothing */
  showNext(): boolean {
    const list = this.list();
    if (list.length === 0) return false;
    const next = list[(list.findIndex(({ key }) => key === this.#shown) + 1) % list.length];
    this.show(next);
    return true;
  }

  show(trouble: Trouble): void {
    this.#shown = trouble.key;
    trouble.show();
    this.events.publish('changed');
  }

  /** It is not looked at any more. */
  leave(): void {
    if (this.#shown === '') return;
    this.#shown = '';
    this.#at.scene.setMarks(NO_MARKS);
    this.events.publish('changed');
  }

  /** Proposes what would be done, measured at a joint. */
  offerOf(joint: number): OfferChange {
    return (label, change) => this.#at.curing.offer(label, joint, change);
  }

  // ---- what each comes from --------------------------------------------------------------------------------------

  #ofStray(stray: ReturnType<StrayList['open']>[number]): Trouble {
    const { strayList, document } = this.#at;
    const { kind, joint, part, points } = stray;
    const words = strayWords(kind, document.jointName(joint), points.length);
    return {
      key: `stray ${part} ${joint} ${points[0]}`,
      joint,
      points: points.length,
      words: `${words}, on ${document.partName(part)}`,
      cureWords: 'Remove',
      show: () => strayList.show(stray),
      cure: () => takeAway(this.#at, [stray], OTHERS),
      propose: () => takeAway(this.#at, [stray], OTHERS, this.offerOf(joint)),
      dismiss: () => strayList.dismiss(stray),
    };
  }

  #ofBlemish(blemish: Blemish): Trouble {
    const { blemishList, document } = this.#at;
    const { kind, joint, other, part, points, amount } = blemish;
    const otherName = other < 0 ? '' : document.jointName(other);
    return {
      key: `${kind} ${part} ${joint} ${points[0]}`,
      joint,
      points: points.length,
      words: blemishWords(kind, points.length, amount, otherName),
      cureWords: kind === 'noise' ? 'Smooth it' : 'Soften it',
      show: () => blemishList.show(blemish),
      cure: () => this.#mend(blemish),
      propose: () => this.#mend(blemish, this.offerOf(joint)),
      dismiss: () => blemishList.dismiss(blemish),
    };
  }

  #mend(blemish: Blemish, offer?: OfferChange): void {
    const { blemishList, document, scene } = this.#at;
    blemishList
      .cure(blemish, uiSettings().limit, offer)
      .then((held) => {
        scene.setMarks(NO_MARKS);
        if (held > 0) document.notify('Locked joints kept their weights, so some of it stays.');
      })
      .catch(document.notifyError);
  }

  #ofSide(trial: JointTrial): Trouble {
    const { document } = this.#at;
    const { joint } = trial;
    return {
      key: `side ${joint}`,
      joint,
      points: 1,
      words: `bends worse than ${document.jointName(document.pairs.partner[joint])}`,
      cureWords: 'Mirror the other side onto it',
      show: () => showRangePose(this.#at, trial, worstPose(trial, 'stretch'), false),
      cure: () => void mirrorOnto(this.#at, joint),
      propose: () => void mirrorOnto(this.#at, joint, this.offerOf(joint)),
    };
  }

  /** Bends that are worse than on the other side: over the whole range, or where the two sides are painted unlike. */
  #lopsided(): JointTrial[] {
    const { trial, blemishList } = this.#at;
    const worse = trial.lopsided();
    const found =
      trial.range?.trials.filter(({ joint }) => worse.includes(joint)) ?? blemishList.look.found?.sides ?? [];
    return rankBends(found, 'stretch');
  }
}
