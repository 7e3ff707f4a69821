import { coversStray, itemPath, type StrayPoints, type WithId } from '@judoka/core/document';
import { turnedBy } from '@judoka/core/animation';
import { rangesOf, type RankedStray } from '@judoka/core/analysis/strays';
import { removeStrays } from '@judoka/core/operations/repair';
import { withJoint } from '@judoka/core/skeleton';
import type { Change, Receiver } from '@judoka/core/weights';
import type { OfferChange } from '../../document/alternative.ts';
import { Events } from '../../document/events.ts';
import type { TrialThreads } from '../../document/TrialThreads.ts';
import type { Editing } from '../../scene/Editing.ts';
import { rulesOf } from '../../scene/scope.ts';
import { RestedLook } from '../../document/RestedLook.ts';

/** Weight that does not belong where it is: looked for in a thread whenever the weights have changed and rested. */
export class StrayList {
  readonly #at: Editing;
  readonly events = new Events<'changed'>();
  readonly look: RestedLook<readonly RankedStray[]>;
  #counts: Uint32Array | undefined;

  constructor(at: Editing, threads: TrialThreads) {
    this.#at = at;
    this.look = new RestedLook(
      async () => (await threads.short()).strays(threads.question()),
      () => this.#changed(),
    );
    at.document.events.subscribe('joints', () => {
      this.look.found = undefined;
      this.#changed();
      this.look.lookSoon();
    });
    at.document.events.subscribe('values', () => this.#changed());
    at.document.events.subscribe('weights', () => {
      this.look.isStale = true;
      this.#changed();
      this.look.lookSoon();
    });
  }

  close(): void {
    this.look.close();
  }

  #changed(): void {
    this.#counts = undefined;
    this.events.publish('changed');
  }

  /** As last found, those that move the surface most first; undefined before, and after joints have changed. */
  get strays(): readonly RankedStray[] | undefined {
    return this.look.found;
  }

  /** Those that are to be removed: neither said to be meant, nor alike on both sides. */
  open(): readonly RankedStray[] {
    return (this.strays ?? []).filter((stray) => !stray.twin && !this.isDismissed(stray));
  }

  /** Uint32Array, by joint that there is room for: how many points of open strays follow it. */
  counts(): Uint32Array {
    if (this.#counts) return this.#counts;
    const counts = new Uint32Array(this.#at.document.bound.jointCapacity);
    for (const { joint, points } of this.open()) counts[joint] += points.length;
    this.#counts = counts;
    return counts;
  }

  /** Chooses a stray's joint, takes the pose in which it moves the surface most, and looks at the place. */
  show({ joint, part, points, bend }: RankedStray): void {
    const { scene, document } = this.#at;
    scene.chooseJoint(joint);
    const range =
      bend &&
      rangesOf(this.#subject(), { limits: document.settings.ranges }, document.pairs).find(
        (each) => each.joint === bend.joint,
      );
    scene.setPose(bend && range ? withJoint({}, bend.joint, turnedBy(range, bend.angles)) : {});
    scene.setMarks({ points: new Map([[part, points]]), joints: [joint] });
  }

  #subject() {
    const { character, skeleton } = this.#at.document;
    return { ...character, skeleton, rows: this.#at.document.rowsOfPart() };
  }

  isDismissed(stray: RankedStray): boolean {
    return this.#at.document.settings.dismissed.some((one) => coversStray(one, stray));
  }

  /** Says that a stray is meant; it stays so. */
  dismiss(stray: RankedStray): void {
    this.#at.document.setValues(`Dismiss a stray of ${this.#at.document.jointName(stray.joint)}`, {
      [itemPath('dismissed', crypto.randomUUID())]: { ...asDismissed(stray) },
    });
  }

  /** Takes back what was dismissed. */
  restore(stray: RankedStray): void {
    const again = this.#at.document.settings.dismissed.filter((one) => coversStray(one, stray));
    this.#at.document.setValues(
      `List a stray of ${this.#at.document.jointName(stray.joint)} again`,
      Object.fromEntries(again.map(({ id }: WithId<StrayPoints>) => [itemPath('dismissed', id), null])),
    );
  }

  /**
   * Removes strays as one operation.
   * @param offer proposes it instead
   * @returns how many of their points kept their weight
   */
  async remove(listed: readonly RankedStray[], receiver: Receiver, offer?: OfferChange): Promise<number> {
    // Somebody has painted since they were found: only what strays still is taken.
    if (this.look.isStale) await this.look.find();
    const strays = listed.flatMap((one) => {
      const now = this.strays?.find((other) => other === one || coversStray(asDismissed(one), other));
      return now ? [now] : [];
    });
    const first = strays.at(0);
    if (!first) throw new Error('This weight has changed meanwhile and does not stray any more.');
    const { change, held } = this.#removal(strays, receiver);
    const label =
      strays.length === 1
        ? `Stray of ${this.#at.document.jointName(first.joint)} removed`
        : `${strays.length} strays removed`;
    if (offer) {
      await offer(label, change);
      return held;
    }
    await this.#at.document.perform(label, { weights: change });
    const gone = new Set(strays);
    this.look.found = this.strays?.filter((stray) => !gone.has(stray));
    this.#changed();
    return held;
  }

  #removal(strays: readonly RankedStray[], receiver: Receiver): { change: Change; held: number } {
    const { parts } = this.#at.document.character;
    const rows = this.#at.document.rowsOfPart();
    const { locks, confines } = rulesOf(this.#at);
    const limit = Math.max(...rows.map(({ stride }) => stride));
    return removeStrays(parts, rows, strays, { receiver, locks, confines, limit });
  }
}

const asDismissed = ({ part, joint, points }: RankedStray): StrayPoints => ({
  part,
  joint,
  points: [...points],
});
