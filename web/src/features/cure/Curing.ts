import type { MotionRange } from '@judoka/core/animation';
import type { CharacterLook } from '@judoka/core/deform';
import type { DeliveryProfile } from '@judoka/core/document';
import { CoreError, isAbort } from '@judoka/core/errors';
import { maskOf, type PointMask } from '@judoka/core/mesh';
import { type CureRequest, partOfChange } from '@judoka/core/operations/cure';
import { apply, type Change, compose, invert, isEmpty } from '@judoka/core/weights';
import * as Comlink from 'comlink';
import { carriedClips } from '../../document/carriedClips.ts';
import type { Alternative, CureDetails } from '../../document/alternative.ts';
import { Events } from '../../document/events.ts';
import type { Proposal } from '../../document/Proposals.ts';
import type { Editing } from '../../scene/Editing.ts';
import { confinesOf, openPoints } from '../../scene/scope.ts';
import type { CureWorker } from './cure.worker.ts';

type At = Editing & {
  readonly trial: { ranges(): readonly MotionRange[] };
  readonly checkUp: { readonly profile: DeliveryProfile };
};

/** What a thread has found on the weights that it was given. */
type Found = Pick<CureDetails, 'joints' | 'asked' | 'errors' | 'lacks'> & { readonly change: Change };

type Runner = Comlink.Remote<CureWorker>;

/** How the labels of bakes begin. */
const BAKE = 'Bake';
/** An amount that rests for this long is measured. */
const SETTLED_MS = 250;

/**
 * Cures bends: finds weights in a thread of its own, and proposes them; made on a binding that is proposed itself, or beside
 * another cure, as one more to choose from.
 */
export class Curing {
  readonly events = new Events<'changed'>();
  readonly #at: At;
  readonly #ends: (() => void)[];
  #worker: Worker | undefined;
  /** What knows the character with the weights that cures were made on last. */
  #runner: { readonly base: Change; readonly of: Runner } | undefined;
  #stop: AbortController | undefined;
  #timer: ReturnType<typeof setTimeout> | undefined;
  #wanted: number | undefined;
  #isTaking = false;
  working: { readonly what: string; readonly share: number; readonly isBake: boolean } | undefined;

  constructor(at: At) {
    this.#at = at;
    this.#ends = [at.document.events.subscribe('shown', () => this.#shownChanged())];
  }

  close(): void {
    clearTimeout(this.#timer);
    this.#stop?.abort();
    this.#endThread();
    for (const end of this.#ends) end();
  }

  stop(): void {
    this.#stop?.abort();
  }

  /** Cures the bends of joints, within the selection where there is one; and proposes what was found. */
  async cure(joints: readonly number[], what: string): Promise<void> {
    if (joints.length === 0)
      throw new CoreError('argument-invalid', 'Choose a joint whose bend is to be cured.');
    const label = `Cure of ${what}`;
    await this.#find(label, async (runner, tell) => {
      const answer = await runner.cure(this.#request(joints), tell);
      if (!answer.cure) throw new CoreError('argument-invalid', answer.failure ?? `${label} failed.`);
      return { ...answer.cure, asked: joints.length };
    });
  }

  /**
   * Gives plain weights a look, as nearly as they can have it; and proposes them.
   * @param clips names of those that count beside the range of motion
   * @param only  some parts; all that have weights without
   */
  async bake(
    look: CharacterLook,
    what: string,
    clips: readonly string[],
    only?: readonly number[],
  ): Promise<void> {
    await this.#find(`${BAKE} of ${what}`, async (runner, tell) => {
      const { locks } = this.#at.document;
      const rules = { limit: this.#limit(), locks: locks.slice(), confines: confinesOf(this.#at) };
      const { change, errors } = await runner.bake(look, rules, clips, only, tell);
      return { change, errors, joints: [], asked: 0 };
    });
  }

  /** Gives plain weights the shapes of a file, in the poses of its clips; and proposes them. */
  async bakeShapes(bytes: Uint8Array, name: string): Promise<void> {
    await this.#find(`${BAKE} of the shapes of ${name}`, async (runner, tell) => {
      const { locks } = this.#at.document;
      const rules = { limit: this.#limit(), locks: locks.slice(), confines: confinesOf(this.#at) };
      const found = await runner.bakeShapes(bytes, rules, tell);
      if ('failure' in found) throw new CoreError('argument-invalid', found.failure);
      return { change: found.change, errors: found.errors, joints: [], asked: 0 };
    });
  }

  /** Proposes a change that was found elsewhere, measured at a joint's bends like a cure. */
  offer(label: string, joint: number, change: Change): Promise<void> {
    return this.#find(label, async (runner) => {
      const [[before], [after]] = [await runner.damages([], [joint]), await runner.damages(change, [joint])];
      return { change, joints: [{ joint, before, after }], asked: 1 };
    });
  }

  async #find(
    label: string,
    find: (runner: Runner, tell: (share: number) => void) => Promise<Found>,
  ): Promise<void> {
    const { document } = this.#at;
    const { proposals } = document;
    document.writer.needOpen();
    this.#stop?.abort();
    const stop = (this.#stop = new AbortController());
    // What is only looked at makes way.
    const on = proposals.current?.words ? undefined : proposals.current;
    const [madeOn, comparison] = [proposals.head, proposals.comparison];
    const base = baseOf(on);
    const isBake = label.startsWith(BAKE);
    this.#tell(label, 0, isBake);
    try {
      this.#endThread();
      const runner = await this.#runnerOn(base, stop.signal);
      const tell = Comlink.proxy((share: number) => {
        if (this.#stop === stop) this.#tell(label, share, isBake);
      });
      const found = await orStopped(find(runner, tell), stop.signal, this.#worker);
      await this.#propose(label, base, found, { madeOn, beside: on && comparison, on });
    } catch (error) {
      if (!isAbort(error)) document.notifyError(error);
      // Another one may have begun since.
      if (this.#stop === stop) this.#endThread();
    } finally {
      if (this.#stop === stop) {
        this.#stop = undefined;
        this.working = undefined;
        this.events.publish('changed');
      }
    }
  }

  async #propose(
    label: string,
    base: Change,
    { change, ...found }: Found,
    { madeOn, beside, on }: { madeOn: number; beside?: symbol; on?: Proposal },
  ): Promise<void> {
    const { document } = this.#at;
    if (isEmpty(change)) {
      document.notify(
        `${label}: no weights within the limit, the locks and the selection come nearer than these.`,
      );
      return;
    }
    const full = compose(base, change);
    const alternative: Alternative = {
      ...{ label: labelOn(base, on, label), change: full, notes: [] },
      name: nameFor(found.errors ? 'Baked' : 'Cured', base, on),
      cure: { ...found, base, full, amount: 1 },
    };
    if (beside === undefined) await document.proposals.begin(alternative, madeOn);
    else if (!(await document.proposals.add(beside, alternative, { shows: true, madeOn })))
      document.notify(`${label}: what it was made beside has been decided meanwhile. Cure once more.`);
  }

  /** Puts so much of the cure on the stage. Of several amounts that are asked for quickly the last is shown. */
  async take(amount: number): Promise<void> {
    this.#wanted = amount;
    if (this.#isTaking) return;
    this.#isTaking = true;
    try {
      while (this.#wanted !== undefined) {
        const wanted = this.#wanted;
        this.#wanted = undefined;
        await this.#show(wanted);
      }
    } finally {
      this.#isTaking = false;
    }
    this.#measureSoon();
  }

  async #show(amount: number): Promise<void> {
    const { proposals } = this.#at.document;
    const cure = proposals.current?.cure;
    if (!cure) return;
    const part = compose(cure.base, this.#partOf(cure, amount));
    await proposals.exchange(proposals.comparison, part, { ...cure, amount });
  }

  /** So much of a cure, on what it was made on. */
  #partOf({ base, full }: CureDetails, amount: number): Change {
    const { locks } = this.#at.document;
    return partOfChange(compose(invert(base), full), amount, { limit: this.#limit(), locks });
  }

  #limit(): number {
    return Math.max(1, this.#at.checkUp.profile.influences);
  }

  #request(joints: readonly number[]): CureRequest {
    const { scene, document } = this.#at;
    const asked = scene.selection.count > 0 ? scene.selection.points() : undefined;
    const open = openPoints(this.#at, asked);
    const within =
      open &&
      new Map(
        [...open].map(([part, points]): [number, PointMask] => [
          part,
          maskOf(points, scene.parts[part].part.pointCount),
        ]),
      );
    return {
      ...{ joints, limit: this.#limit(), locks: document.locks.slice(), confines: confinesOf(this.#at) },
      ...(within && { within }),
    };
  }

  /** A thread that has the character with the weights that are there without what is proposed, and a base on them. */
  async #runnerOn(base: Change, signal?: AbortSignal): Promise<Runner> {
    if (this.#runner?.base === base) return this.#runner.of;
    this.#endThread();
    const { document, trial } = this.#at;
    const worker = new Worker(new URL('./cure.worker.ts', import.meta.url), { type: 'module' });
    this.#worker = worker;
    const runner = Comlink.wrap<CureWorker>(worker);
    const rows = document.proposals.rowsBefore();
    apply(rows, base);
    await orStopped(
      runner.begin({
        character: { ...document.bound.character, rows },
        ranges: trial.ranges(),
        clips: carriedClips(document),
        skinning: document.settings.skinning,
      }),
      signal,
      worker,
    );
    this.#runner = { base, of: runner };
    return runner;
  }

  #tell(what: string, share: number, isBake: boolean): void {
    this.working = { what, share, isBake };
    this.events.publish('changed');
  }

  /** What was proposed is decided, or something else is. */
  #shownChanged(): void {
    if (this.working || this.#isTaking || this.#at.document.proposals.current?.cure) return;
    this.#endThread();
  }

  #endThread(): void {
    clearTimeout(this.#timer);
    this.#worker?.terminate();
    this.#worker = undefined;
    this.#runner = undefined;
  }

  #measureSoon(): void {
    clearTimeout(this.#timer);
    this.#timer = setTimeout(() => void this.#measure().catch(this.#at.document.notifyError), SETTLED_MS);
  }

  /** How the bends are with the amount that is proposed. */
  async #measure(): Promise<void> {
    const { proposals } = this.#at.document;
    const { current, comparison } = proposals;
    if (!current?.cure || current.cure.joints.length === 0 || this.working) return;
    const { cure, index } = current;
    const runner = await this.#runnerOn(cure.base);
    const asked = cure.joints.map(({ joint }) => joint);
    const damages = await runner.damages(this.#partOf(cure, cure.amount), asked);
    const now = proposals.current?.alternatives[index]?.cure;
    if (!proposals.isOpen(comparison) || now?.amount !== cure.amount || now.full !== cure.full) return;
    const joints = cure.joints.map((each, i) => ({ ...each, after: damages[i] }));
    proposals.setCure(comparison, index, { ...now, joints });
  }
}

/** What a cure is made on: what a cure on the stage was made on, what is proposed otherwise, or nothing. */
function baseOf(current: Proposal | undefined): Change {
  if (!current?.shown) return [];
  return current.cure ? current.cure.base : current.change;
}

function labelOn(base: Change, on: Proposal | undefined, label: string): string {
  const under = on?.alternatives.find(({ change }) => change === base);
  return under ? `${under.label}, ${label.toLowerCase()}` : label;
}

/** What a cure is called beside others: after what it was made on, where that is proposed too. */
function nameFor(what: string, base: Change, on: Proposal | undefined): string {
  const under = on?.alternatives.find(({ change }) => change === base);
  const whole = under ? `${under.name}, ${what.toLowerCase()}` : what;
  const taken = new Set(on?.alternatives.map(({ name }) => name));
  for (let number = 1; ; number++) {
    const name = number === 1 ? whole : `${whole} ${number}`;
    if (!taken.has(name)) return name;
  }
}

/** Ends the wait when stopped, or when the thread dies. */
async function orStopped<T>(
  work: Promise<T>,
  signal: AbortSignal | undefined,
  worker: Worker | undefined,
): Promise<T> {
  const ended = new Promise<never>((_, reject) => {
    const abort = (): void => reject(new DOMException('Stopped.', 'AbortError'));
    if (signal?.aborted) abort();
    signal?.addEventListener('abort', abort, { once: true });
    worker?.addEventListener('error', (event) => reject(new Error(event.message || 'The cure stopped.')));
  });
  return Promise.race([work, ended]);
}
