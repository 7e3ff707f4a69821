import type { MotionRange } from '@judoka/core/animation';
import type { CharacterLook } from '@judoka/core/deform';
import type { DeliveryProfile } from '@judoka/core/document';
import { CoreError, isAbort } from '@judoka/core/errors';
import { maskOf, type PointMask } from '@judoka/core/mesh';
import { type CuredJoint, type CureRequest, partOfChange } from '@judoka/core/operations/cure';
import { type Change, isEmpty } from '@judoka/core/weights';
import * as Comlink from 'comlink';
import { Events } from '../../document/events.ts';
import type { Comparison } from '../../document/Proposals.ts';
import type { Editing } from '../../scene/Editing.ts';
import { confinesOf, openPoints } from '../../scene/scope.ts';
import type { CureWorker, LookErrors } from './cure.worker.ts';

type At = Editing & {
  readonly trial: { ranges(): readonly MotionRange[] };
  readonly checkUp: { readonly profile: DeliveryProfile };
};

/** What a cure has found, as long as it is not decided. */
export interface FoundCure {
  readonly label: string;
  /** What is open as long as it is not decided. */
  readonly comparison: Comparison;
  readonly change: Change;
  /** Of which so much is on the stage, 0 to 1. */
  readonly amount: number;
  /** Those that were asked for first. */
  readonly joints: readonly CuredJoint[];
  /** How many were asked for. */
  readonly asked: number;
  /** Of a look that was baked: how far all of it is off. */
  readonly errors?: LookErrors;
}

/** How the labels of bakes begin. */
const BAKE = 'Bake';
/** An amount that rests for this long is measured. */
const SETTLED_MS = 250;

/** Cures bends: finds weights in a thread of its own, and proposes them. */
export class Curing {
  readonly events = new Events<'changed'>();
  readonly #at: At;
  readonly #ends: (() => void)[];
  #worker: Worker | undefined;
  #runner: Comlink.Remote<CureWorker> | undefined;
  #stop: AbortController | undefined;
  #timer: ReturnType<typeof setTimeout> | undefined;
  #wanted: number | undefined;
  #isProposing = false;
  working: { readonly what: string; readonly share: number; readonly isBake: boolean } | undefined;
  found: FoundCure | undefined;

  constructor(at: At) {
    this.#at = at;
    this.#ends = [at.document.events.subscribe('shown', () => this.#shownChanged())];
  }

  close(): void {
    clearTimeout(this.#timer);
    this.#stop?.abort();
    this.#forget();
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

  /** Gives plain weights a look, as nearly as they can have it; and proposes them. */
  async bake(look: CharacterLook, what: string): Promise<void> {
    await this.#find(`${BAKE} of the ${what} look`, async (runner, tell) => {
      const { locks } = this.#at.document;
      const rules = { limit: this.#limit(), locks: locks.slice(), confines: confinesOf(this.#at) };
      const { change, errors } = await runner.bake(look, rules, tell);
      return { change, errors, joints: [], asked: 0 };
    });
  }

  async #find(
    label: string,
    find: (
      runner: Comlink.Remote<CureWorker>,
      tell: (share: number) => void,
    ) => Promise<Omit<FoundCure, 'label' | 'amount' | 'comparison'>>,
  ): Promise<void> {
    const { document } = this.#at;
    document.writer.needOpen();
    this.#stop?.abort();
    this.#forget();
    const stop = (this.#stop = new AbortController());
    const madeOn = document.proposals.head;
    const isBake = label.startsWith(BAKE);
    this.#tell(label, 0, isBake);
    try {
      const runner = await this.#begin();
      const tell = Comlink.proxy((share: number) => {
        if (this.#stop === stop) this.#tell(label, share, isBake);
      });
      const found = await orStopped(find(runner, tell), stop.signal, this.#worker);
      await this.#propose({ ...found, label, amount: 1 }, madeOn);
    } catch (error) {
      // Another one may have begun since.
      if (this.#stop === stop) this.#forget();
      if (!isAbort(error)) document.notifyError(error);
    } finally {
      if (this.#stop === stop) {
        this.#stop = undefined;
        this.working = undefined;
        this.events.publish('changed');
      }
    }
  }

  async #propose(found: Omit<FoundCure, 'comparison'>, madeOn: number): Promise<void> {
    const { document } = this.#at;
    const { label, change } = found;
    if (isEmpty(change)) {
      document.notify(
        `${label}: no weights within the limit, the locks and the selection come nearer than these.`,
      );
      return;
    }
    this.#isProposing = true;
    try {
      const comparison = await document.proposals.begin(
        { label, name: found.errors ? 'Baked' : 'Cured', change, notes: [] },
        madeOn,
      );
      this.found = { ...found, comparison };
    } finally {
      this.#isProposing = false;
    }
    this.events.publish('changed');
  }

  /** Puts so much of the cure on the stage. Of several amounts that are asked for quickly the last is shown. */
  async take(amount: number): Promise<void> {
    this.#wanted = amount;
    if (this.#isProposing) return;
    this.#isProposing = true;
    try {
      while (this.#wanted !== undefined && this.found) {
        const wanted = this.#wanted;
        this.#wanted = undefined;
        await this.#show(wanted);
      }
    } finally {
      this.#isProposing = false;
    }
    this.#shownChanged();
    this.#measureSoon();
  }

  async #show(amount: number): Promise<void> {
    const { found } = this;
    if (!found) return;
    const { proposals, locks } = this.#at.document;
    const part = partOfChange(found.change, amount, { limit: this.#limit(), locks });
    this.found = { ...found, amount };
    this.events.publish('changed');
    await proposals.exchange(found.comparison, part);
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

  async #begin(): Promise<Comlink.Remote<CureWorker>> {
    const { document, trial } = this.#at;
    const worker = new Worker(new URL('./cure.worker.ts', import.meta.url), { type: 'module' });
    this.#worker = worker;
    const runner = Comlink.wrap<CureWorker>(worker);
    this.#runner = runner;
    const rows = document.proposals.rowsBefore();
    await orStopped(
      runner.begin({
        character: { ...document.bound.character, rows },
        ranges: trial.ranges(),
        clips: document.character.clips,
        skinning: document.settings.skinning,
      }),
      this.#stop?.signal,
      worker,
    );
    return runner;
  }

  #tell(what: string, share: number, isBake: boolean): void {
    this.working = { what, share, isBake };
    this.events.publish('changed');
  }

  /** What was proposed is decided, or something else is. */
  #shownChanged(): void {
    if (this.#isProposing || this.working || !this.found) return;
    if (this.#at.document.proposals.isOpen(this.found.comparison)) return;
    this.#forget();
    this.events.publish('changed');
  }

  #forget(): void {
    clearTimeout(this.#timer);
    this.#worker?.terminate();
    this.#worker = undefined;
    this.#runner = undefined;
    this.found = undefined;
  }

  #measureSoon(): void {
    clearTimeout(this.#timer);
    this.#timer = setTimeout(() => {
      const { found } = this;
      if (!found || !this.#runner || found.joints.length === 0) return;
      const { locks } = this.#at.document;
      const part = partOfChange(found.change, found.amount, { limit: this.#limit(), locks });
      this.#runner
        .damages(
          part,
          found.joints.map(({ joint }) => joint),
        )
        .then((damages) => {
          if (this.found?.amount !== found.amount || this.found.change !== found.change) return;
          const joints = found.joints.map((each, i) => ({ ...each, after: damages[i] }));
          this.found = { ...this.found, joints };
          this.events.publish('changed');
        })
        .catch(this.#at.document.notifyError);
    }, SETTLED_MS);
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
