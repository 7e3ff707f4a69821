import { jointPath, type Json, type RelaxedLook, sameJson } from '@judoka/core/document';
import { Events } from '../document/events.ts';
import type { TrialThreads } from '../document/TrialThreads.ts';
import { findLopsided, type JointTrial } from '@judoka/core/analysis/bends';
import type { Skinning } from '@judoka/core/deform';
import { type Clip, frameCount, type Limits, type MotionRange } from '@judoka/core/animation';
import { rangesOf } from '@judoka/core/analysis/strays';
import type { Editing } from '../scene/Editing.ts';
import { messageOf } from '@judoka/core/errors';

/** Weights at rest for this long are measured anew. */
const SETTLED_MS = 350;
/** What a run of the range or of a clip has found. */
export interface TrialResult {
  /** Key of the clip that was measured; none for the range. */
  readonly clip: string | undefined;
  readonly skinning: Skinning;
  readonly relaxing: RelaxedLook | undefined;
  readonly trials: readonly JointTrial[];
  /** The same with the weights as they came, and with the other skinning, once they are measured. */
  readonly before: ReadonlyMap<number, JointTrial> | undefined;
  readonly other: ReadonlyMap<number, JointTrial> | undefined;
  /** Whether weights have changed since; the chosen joint is kept up to date. */
  readonly stale: boolean;
}

interface Running {
  readonly what: string;
  readonly share: number;
}

/** Bends measured over ranges and clips. All of the work is done in threads of its own. */
export class Trial {
  readonly #at: Editing;
  readonly #threads: TrialThreads;
  readonly events = new Events<'changed'>();
  #stop: AbortController | undefined;
  #timer: ReturnType<typeof setTimeout> | undefined;
  #ranges: readonly MotionRange[] | undefined;
  #asked = 0;
  /** How often weights have changed, and at which of these changes each joint was measured last. */
  #changes = 0;
  readonly #measuredAt = new Map<number, number>();
  #lopsided: { of: TrialResult; joints: readonly number[] } | undefined;
  running: Running | undefined;
  range: TrialResult | undefined;
  clip: TrialResult | undefined;
  /** Why the last run ended early, in a sentence. */
  failure = '';

  constructor(at: Editing, threads: TrialThreads) {
    this.#at = at;
    this.#threads = threads;
    at.document.events.subscribe('weights', () => this.#weightsChanged());
    at.document.events.subscribe('joints', () => this.#forget());
    at.document.events.subscribe('values', () => this.#settingsChanged());
    at.scene.events.subscribe('joint', () => this.#followSoon());
  }

  close(): void {
    clearTimeout(this.#timer);
    this.#stop?.abort();
    this.#asked = Infinity;
  }

  #tell(): void {
    this.events.publish('changed');
  }

  /** Joints stand otherwise: nothing that was measured holds any more. */
  #forget(): void {
    this.#ranges = undefined;
    this.range = undefined;
    this.clip = undefined;
    this.#tell();
  }

  /** The clip that was measured is another one now. */
  forgetClip(): void {
    this.clip = undefined;
    this.#tell();
  }

  /** With the other skinning, what was measured for it takes the place of the figures. */
  #settingsChanged(): void {
    this.#ranges = undefined;
    const { skinning, relaxing } = this.#at.document.settings;
    const turned = (result: TrialResult | undefined): TrialResult | undefined => {
      if (!result) return result;
      // What was measured beside it was measured of that look.
      if (!sameJson((result.relaxing ?? null) as Json, (relaxing ?? null) as Json))
        return { ...result, skinning, relaxing, stale: true, other: undefined, before: undefined };
      if (result.skinning === skinning) return result;
      if (!result.other) return { ...result, skinning, stale: true };
      const other = byJoint(result.trials);
      return { ...result, skinning, trials: [...result.other.values()], other, before: undefined };
    };
    const [range, clip] = [turned(this.range), turned(this.clip)];
    if (range === this.range && clip === this.clip) return;
    // A run under way measures the skinning that was.
    this.stop();
    [this.range, this.clip] = [range, clip];
    if (range?.stale) this.#measuredAt.clear();
    this.#tell();
    this.#followSoon();
  }

  #weightsChanged(): void {
    this.#changes++;
    this.#ranges = undefined;
    if (!this.range && !this.clip) return;
    const stale = (result: TrialResult | undefined): TrialResult | undefined =>
      result && { ...result, stale: true };
    this.range = stale(this.range);
    this.clip = stale(this.clip);
    this.#tell();
    this.#followSoon();
  }

  #followSoon(): void {
    clearTimeout(this.#timer);
    if (this.range) this.#timer = setTimeout(() => void this.#follow(), SETTLED_MS);
  }

  // ---- ranges --------------------------------------------------------------------------------------------------

  /** How joints move, as names and shapes tell and the person has set. */
  ranges(): readonly MotionRange[] {
    if (this.#ranges) return this.#ranges;
    const {
      document: { character, settings, pairs },
    } = this.#at;
    this.#ranges = rangesOf(
      { ...character, rows: this.#at.document.rowsOfPart() },
      { limits: settings.ranges },
      pairs,
    );
    return this.#ranges;
  }

  /** Joints whose bends over the range are worse than on the other side, worst first, as far as they were measured. */
  lopsided(): readonly number[] {
    const { range } = this;
    if (!range) return [];
    if (this.#lopsided?.of !== range)
      this.#lopsided = { of: range, joints: findLopsided(range.trials, this.#at.document.pairs.partner) };
    return this.#lopsided.joints;
  }

  /** What a joint's bends come to with the weights as they are; undefined where that is not measured. */
  currentTrial(joint: number): JointTrial | undefined {
    if (this.#measuredAt.get(joint) !== this.#changes) return undefined;
    return this.range?.trials.find((one) => one.joint === joint);
  }

  rangeOf(joint: number): MotionRange | undefined {
    return this.ranges().find((range) => range.joint === joint);
  }

  /** Sets a joint's limits, and its partner's alike; without any they are told by names and shape again. */
  setLimits(joint: number, limits: Limits | undefined): void {
    const { pairs } = this.#at.document;
    const paths: Record<string, Json> = {};
    for (const each of new Set([joint, pairs.partner[joint]])) {
      if (each >= 0) paths[jointPath('ranges', each)] = (limits as Json | undefined) ?? null;
    }
    const label = `Range of ${this.#at.document.jointName(joint)}`;
    this.#at.document.setValues(label, paths, { growsAs: `range:${joint}` });
    if (!this.range) return;
    // Earlier figures are of other poses.
    const without = (trials: TrialResult['before']): TrialResult['before'] =>
      trials && new Map([...trials].filter(([each]) => each !== joint && each !== pairs.partner[joint]));
    this.range = { ...this.range, before: without(this.range.before), other: without(this.range.other) };
    for (const each of [joint, pairs.partner[joint]]) this.#measuredAt.delete(each);
    void this.#follow();
  }

  // ---- runs ----------------------------------------------------------------------------------------------------

  stop(): void {
    this.#stop?.abort();
  }

  /** The whole range of motion; then with the other skinning, and with the weights as they came. */
  async runRange(): Promise<void> {
    const ranges = this.ranges();
    await this.#run('range', undefined, (what, question, signal) =>
      this.#threads.share(
        (runner, index, of, tell) =>
          runner.range(
            question,
            ranges.filter((_, i) => i % of === index),
            tell,
          ),
        (share) => this.#progress(what, share),
        signal,
      ),
    );
  }

  /** Every frame of a clip; `key` tells which of all clips it is. */
  async runClip(clip: Clip, key: string): Promise<void> {
    const count = frameCount(clip);
    await this.#run('clip', key, async (what, question, signal) => {
      const found = await this.#threads.share(
        (runner, index, of, tell) => {
          const [from, to] = [index, index + 1].map((i) => Math.floor((i * count) / of));
          const frames = Array.from({ length: to - from }, (_, i) => from + i);
          return runner.clip(question, clip, frames, tell);
        },
        (share) => this.#progress(what, share),
        signal,
      );
      return joinFrames(found);
    });
  }

  #progress(what: string, share: number): void {
    this.running = { what, share };
    this.#tell();
  }

  async #run(
    kind: 'range' | 'clip',
    clip: string | undefined,
    measure: (
      what: string,
      question: ReturnType<TrialThreads['question']>,
      signal: AbortSignal,
    ) => Promise<JointTrial[]>,
  ): Promise<void> {
    this.#stop?.abort();
    const stop = new AbortController();
    this.#stop = stop;
    const { skinning, relaxing } = this.#at.document.settings;
    this.failure = '';
    this.#progress('Measuring', 0);
    const put = (change: Partial<TrialResult>): void => {
      const held = this[kind] ?? {
        clip,
        skinning,
        relaxing,
        trials: [],
        before: undefined,
        other: undefined,
        stale: false,
      };
      this[kind] = { ...held, ...change };
      this.#tell();
    };
    try {
      const question = this.#threads.question();
      const asked = this.#changes;
      const trials = await measure('Measuring', question, stop.signal);
      this[kind] = undefined;
      if (kind === 'range') for (const { joint } of trials) this.#measuredAt.set(joint, asked);
      // Somebody may have gone on painting meanwhile.
      const stale = asked !== this.#changes;
      put({ trials, stale });
      // So may the look be another one.
      this.#settingsChanged();
      if (stale) this.#followSoon();
      const other: Skinning = skinning === 'dual' ? 'linear' : 'dual';
      const words = other === 'dual' ? 'Measuring with dual quaternions' : 'Measuring with linear skinning';
      put({
        other: byJoint(
          await measure(words, { ...question, look: { ...question.look, skinning: other } }, stop.signal),
        ),
      });
      const came = { ...question, rows: this.#at.document.character.rows };
      put({ before: byJoint(await measure('Measuring how it came', came, stop.signal)) });
    } catch (error) {
      if (!(error instanceof DOMException)) this.failure = messageOf(error);
    } finally {
      if (this.#stop === stop) this.running = undefined;
      this.#tell();
    }
  }

  /** The range's result, unless something newer was asked for meanwhile. */
  #rangeOfTurn(turn: number): TrialResult | undefined {
    return turn === this.#asked ? this.range : undefined;
  }

  /** Measures the chosen joint anew if its figures are old, and puts it where it belongs now. */
  async #follow(): Promise<void> {
    const {
      scene: { joint },
    } = this.#at;
    const range = joint < 0 ? undefined : this.rangeOf(joint);
    if (!range || !this.range || this.#measuredAt.get(joint) === this.#changes) return;
    const turn = ++this.#asked;
    const changes = this.#changes;
    try {
      const runner = await this.#threads.short();
      const trial = (await runner.range(this.#threads.question(), [range])).at(0);
      const before = this.#rangeOfTurn(turn);
      if (!before) return;
      const others = before.trials.filter((one) => one.joint !== joint);
      this.range = { ...before, trials: trial ? [...others, trial] : others };
      this.#measuredAt.set(joint, changes);
    } catch (error) {
      this.failure = messageOf(error);
    }
    this.#tell();
  }
}

const byJoint = (trials: readonly JointTrial[]): Map<number, JointTrial> =>
  new Map(trials.map((trial) => [trial.joint, trial]));

/** Frames that several threads have measured, joint by joint in one row. */
function joinFrames(found: readonly JointTrial[]): JointTrial[] {
  const all = new Map<number, JointTrial['poses'][number][]>();
  for (const { joint, poses } of found) all.set(joint, [...(all.get(joint) ?? []), ...poses]);
  return [...all].map(([joint, poses]) => ({ joint, poses }));
}
