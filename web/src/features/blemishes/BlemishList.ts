import { coversStray, itemPath, type Blemish } from '@judoka/core/document';
import { rangePoses } from '@judoka/core/animation';
import { rangesOf } from '@judoka/core/analysis/strays';
import { cureBlemish } from '@judoka/core/operations/repair';
import type { OfferChange } from '../../document/alternative.ts';
import { Events } from '../../document/events.ts';
import { RestedLook } from '../../document/RestedLook.ts';
import type { FoundBlemishes } from '@judoka/core/analysis/blemishes';
import type { TrialThreads } from '../../document/TrialThreads.ts';
import type { Editing } from '../../scene/Editing.ts';
import { rulesOf } from '../../scene/scope.ts';

/** Where weights run badly over the surface, and sides that bend worse for it: looked for whenever weights rest. */
export class BlemishList {
  readonly #at: Editing;
  readonly events = new Events<'changed'>();
  readonly look: RestedLook<FoundBlemishes>;

  constructor(at: Editing, threads: TrialThreads) {
    this.#at = at;
    const changed = (): void => this.events.publish('changed');
    this.look = new RestedLook(async () => (await threads.short()).blemishes(threads.question()), changed);
    at.document.events.subscribe('joints', () => {
      this.look.found = undefined;
      changed();
      this.look.lookSoon();
    });
    at.document.events.subscribe('values', changed);
    at.document.events.subscribe('weights', () => {
      this.look.isStale = true;
      this.look.lookSoon();
    });
  }

  close(): void {
    this.look.close();
  }

  /** Those that nobody has said are meant. */
  open(): readonly Blemish[] {
    return (this.look.found?.blemishes ?? []).filter((blemish) => !this.isDismissed(blemish));
  }

  /** Those that somebody has said are meant. */
  meant(): readonly Blemish[] {
    return (this.look.found?.blemishes ?? []).filter((blemish) => this.isDismissed(blemish));
  }

  isDismissed(blemish: Blemish): boolean {
    return this.#at.document.settings.dismissed.some((one) => coversStray(one, blemish));
  }

  /** Takes back that it is meant. */
  restore(blemish: Blemish): void {
    const { document } = this.#at;
    const again = document.settings.dismissed.filter((one) => coversStray(one, blemish));
    document.setValues(
      `List the weights of ${document.jointName(blemish.joint)} again`,
      Object.fromEntries(again.map(({ id }) => [itemPath('dismissed', id), null])),
    );
  }

  /** Chooses the joint, takes it through the widest of its bends, and looks at the place. */
  show({ joint, part, points }: Blemish): void {
    const { scene, document } = this.#at;
    const { character, skeleton, settings, pairs } = document;
    scene.chooseJoint(joint);
    const subject = { ...character, skeleton, rows: document.rowsOfPart() };
    const range = rangesOf(subject, { limits: settings.ranges }, pairs).find((one) => one.joint === joint);
    const widest =
      range &&
      rangePoses(range)
        .sort((a, b) => reach(b.angles) - reach(a.angles))
        .at(0);
    scene.setPose(widest?.pose ?? {});
    scene.setMarks({ points: new Map([[part, points]]), joints: [joint] });
  }

  /** Says that it is meant; it stays so. */
  dismiss({ part, joint, points }: Blemish): void {
    this.#at.document.setValues(`Leave the weights of ${this.#at.document.jointName(joint)} as they are`, {
      [itemPath('dismissed', crypto.randomUUID())]: { part, joint, points: [...points] },
    });
  }

  /**
   * Mends it, as one edit.
   * @param limit the most influences a point gets
   * @param offer proposes it instead
   * @returns how many points kept their weights, for locks leave no room
   */
  async cure(blemish: Blemish, limit: number, offer?: OfferChange): Promise<number> {
    const { document } = this.#at;
    const { character } = document;
    const rows = document.rowsOfPart()[blemish.part];
    const { change, held } = cureBlemish(
      character.parts[blemish.part],
      rows,
      blemish,
      rulesOf(this.#at, limit),
    );
    const name = document.jointName(blemish.joint);
    const label = blemish.kind === 'noise' ? `Smooth noise of ${name}` : `Soften ${name}`;
    if (offer) {
      await offer(label, change);
      return held;
    }
    await document.perform(label, { weights: change });
    // Gone until the next look says otherwise: a second click cures nothing twice.
    const { found } = this.look;
    if (found) this.look.found = { ...found, blemishes: found.blemishes.filter((one) => one !== blemish) };
    this.events.publish('changed');
    return held;
  }
}

const reach = ({ bend, side, twist }: { bend: number; side: number; twist: number }): number =>
  Math.hypot(bend, side, twist);
