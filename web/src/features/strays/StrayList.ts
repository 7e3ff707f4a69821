import { itemPath, type StrayPoints, type WithId } from '@judoka/core/document';
import type { RankedStray } from '@judoka/core/analysis/strays';
import { removeStrays } from '@judoka/core/operations/repair';
import type { Change, Receiver } from '@judoka/core/weights';
import { Events } from '../../document/events.ts';
import type { TrialThreads } from '../../document/TrialThreads.ts';
import type { Editing } from '../../scene/Editing.ts';
import { rulesOf } from '../../scene/scope.ts';
import { messageOf } from '@judoka/core/errors';

/** A stray is dismissed as long as this share of its points is. */
const SAME_SHARE = 0.8;

/** Weight that does not belong where it is, as it was last looked for. */
export class StrayList {
  readonly #at: Editing;
  readonly #threads: TrialThreads;
  readonly events = new Events<'changed'>();
  strays: readonly RankedStray[] | undefined;
  /** Whether weights have changed since. */
  isStale = false;
  isLooking = false;
  /** Why the last look ended early, in a sentence. */
  failure = '';

  constructor(at: Editing, threads: TrialThreads) {
    this.#at = at;
    this.#threads = threads;
    at.document.events.subscribe('joints', () => this.#forget());
    at.document.events.subscribe('values', () => this.events.publish('changed'));
    at.document.events.subscribe('weights', () => {
      this.isStale = this.strays !== undefined;
      this.events.publish('changed');
    });
  }

  #forget(): void {
    this.strays = undefined;
    this.events.publish('changed');
  }

  async find(): Promise<void> {
    this.isLooking = true;
    this.events.publish('changed');
    try {
      const runner = await this.#threads.short();
      this.strays = await runner.strays(this.#threads.question());
      this.isStale = false;
    } catch (error) {
      this.failure = messageOf(error);
    } finally {
      this.isLooking = false;
      this.events.publish('changed');
    }
  }

  isDismissed(stray: RankedStray): boolean {
    return this.#at.document.settings.dismissed.some((one) => covers(one, stray));
  }

  /** Says that a stray is meant; it stays so. */
  dismiss(stray: RankedStray): void {
    this.#at.document.setValues(`Dismiss a stray of ${this.#at.document.jointName(stray.joint)}`, {
      [itemPath('dismissed', crypto.randomUUID())]: { ...asDismissed(stray) },
    });
  }

  /** Takes back what was dismissed. */
  restore(stray: RankedStray): void {
    const again = this.#at.document.settings.dismissed.filter((one) => covers(one, stray));
    this.#at.document.setValues(
      `List a stray of ${this.#at.document.jointName(stray.joint)} again`,
      Object.fromEntries(again.map(({ id }: WithId<StrayPoints>) => [itemPath('dismissed', id), null])),
    );
  }

  /** Removes strays as one operation. @returns how many of their points kept their weight */
  async remove(listed: readonly RankedStray[], receiver: Receiver): Promise<number> {
    // Somebody has painted since they were found: only what strays still is taken.
    if (this.isStale) await this.find();
    const strays = listed.flatMap((one) => {
      const now = this.strays?.find((other) => other === one || covers(asDismissed(one), other));
      return now ? [now] : [];
    });
    const first = strays.at(0);
    if (!first) throw new Error('This weight has changed meanwhile and does not stray any more.');
    const { change, held } = this.#removal(strays, receiver);
    const label =
      strays.length === 1
        ? `Stray of ${this.#at.document.jointName(first.joint)} removed`
        : `${strays.length} strays removed`;
    await this.#at.document.perform(label, { weights: change });
    const gone = new Set(strays);
    this.strays = this.strays?.filter((stray) => !gone.has(stray));
    this.events.publish('changed');
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

function covers({ part, joint, points }: StrayPoints, stray: RankedStray): boolean {
  if (part !== stray.part || joint !== stray.joint) return false;
  const held = new Set(points);
  return stray.points.filter((p) => held.has(p)).length >= SAME_SHARE * stray.points.length;
}
