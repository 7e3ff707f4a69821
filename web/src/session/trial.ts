import { byDamage, type JointTrial, type Skinning, trialOf } from '@judoka/core/analysis/bends';
import { type Clip, frameCount, type Limits, type MotionRange } from '@judoka/core/animation';
import { liveJoints, type Pose } from '@judoka/core/skeleton';
import { rangesOf, type RankedStray } from '@judoka/core/analysis/strays';
import { removeStrays } from '@judoka/core/operations/repair';
import type { Change, Receiver } from '@judoka/core/weights';
import type { Crossing } from '@judoka/core/analysis/crossings';
import type { DismissedStray } from '@judoka/contract';
import type { CharacterSession } from './CharacterSession.ts';
import { rulesOf } from './scope.ts';
import { TrialWorkers } from './trialWorkers.ts';

/** Weights at rest for this long are measured anew. */
const SETTLED_MS = 350;
/** A stray is dismissed as long as this share of its points is. */
const SAME_SHARE = 0.8;

/** What a run of the range or of a clip has found. */
export interface TrialResult {
  /** Key of the clip that was measured; none for the range. */
  readonly clip: string | undefined;
  readonly skinning: Skinning;
  /** Worst first. */
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

/** Bends measured over ranges and clips, and the strays. All of the work is done in threads of its own. */
export class Trial {
  readonly #session: CharacterSession;
  readonly #workers: TrialWorkers;
  #stop: AbortController | undefined;
  #timer: ReturnType<typeof setTimeout> | undefined;
  #ranges: readonly MotionRange[] | undefined;
  #asked = 0;
  running: Running | undefined;
  range: TrialResult | undefined;
  clip: TrialResult | undefined;
  /** Why the last run ended early, in a sentence. */
  failure = '';
  strays: readonly RankedStray[] | undefined;
  straysStale = false;

  constructor(session: CharacterSession) {
    this.#session = session;
    this.#workers = new TrialWorkers(session);
    session.topics.subscribe('skeleton', () => this.#forget());
    session.topics.subscribe('settings', () => this.#settingsChanged());
  }

  close(): void {
    clearTimeout(this.#timer);
    this.#stop?.abort();
    this.#workers.close();
    this.#asked = Infinity;
  }

  get workers(): TrialWorkers {
    return this.#workers;
  }

  #tell(): void {
    this.#session.topics.tell('trial');
  }

  /** Joints stand otherwise: nothing that was measured holds any more. */
  #forget(): void {
    this.#ranges = undefined;
    this.range = undefined;
    this.clip = undefined;
    this.strays = undefined;
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
    const { skinning } = this.#session.settings;
    const turned = (result: TrialResult | undefined): TrialResult | undefined => {
      if (!result || result.skinning === skinning) return result;
      if (!result.other) return { ...result, skinning, stale: true };
      const other = byJoint(result.trials);
      return { ...result, skinning, trials: byDamage([...result.other.values()]), other, before: undefined };
    };
    const [range, clip] = [turned(this.range), turned(this.clip)];
    if (range === this.range && clip === this.clip) return;
    // A run under way measures the skinning that was.
    this.stop();
    [this.range, this.clip] = [range, clip];
    this.#tell();
  }

  weightsChanged(): void {
    this.#ranges = undefined;
    if (!this.range && !this.clip && !this.strays) return;
    const stale = (result: TrialResult | undefined): TrialResult | undefined =>
      result && { ...result, stale: true };
    this.range = stale(this.range);
    this.clip = stale(this.clip);
    this.straysStale = this.strays !== undefined;
    this.#tell();
    clearTimeout(this.#timer);
    if (this.range) this.#timer = setTimeout(() => void this.#follow(), SETTLED_MS);
  }

  // ---- ranges --------------------------------------------------------------------------------------------------

  /** How joints move, as names and shapes tell and the person has set. */
  ranges(): readonly MotionRange[] {
    if (this.#ranges) return this.#ranges;
    const { character, settings, pairs } = this.#session;
    this.#ranges = rangesOf(
      { ...character, rows: this.#session.rowsOfPart() },
      { limits: settings.ranges },
      pairs,
    );
    return this.#ranges;
  }

  rangeOf(joint: number): MotionRange | undefined {
    return this.ranges().find((range) => range.joint === joint);
  }

  /** Sets a joint's limits, and its partner's alike; without any they are told by names and shape again. */
  setLimits(joint: number, limits: Limits | undefined): void {
    const { settings, pairs } = this.#session;
    const ranges: Record<string, Limits> = { ...settings.ranges };
    for (const each of new Set([joint, pairs.partner[joint]])) {
      if (each < 0) continue;
      if (limits) ranges[each] = limits;
      else delete ranges[each];
    }
    this.#session.setSettings({ ranges });
    if (!this.range) return;
    // Earlier figures are of other poses.
    const without = (trials: TrialResult['before']): TrialResult['before'] =>
      trials && new Map([...trials].filter(([each]) => each !== joint && each !== pairs.partner[joint]));
    this.range = { ...this.range, before: without(this.range.before), other: without(this.range.other) };
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
      this.#workers.share(
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
      const found = await this.#workers.share(
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
      question: ReturnType<TrialWorkers['question']>,
      signal: AbortSignal,
    ) => Promise<JointTrial[]>,
  ): Promise<void> {
    this.#stop?.abort();
    const stop = new AbortController();
    this.#stop = stop;
    const { skinning } = this.#session.settings;
    this.failure = '';
    this.#progress('Measuring', 0);
    const put = (change: Partial<TrialResult>): void => {
      const held = this[kind] ?? {
        clip,
        skinning,
        trials: [],
        before: undefined,
        other: undefined,
        stale: false,
      };
      this[kind] = { ...held, ...change };
      this.#tell();
    };
    try {
      const question = this.#workers.question();
      const trials = byDamage(await measure('Measuring', question, stop.signal));
      this[kind] = undefined;
      put({ trials });
      const other: Skinning = skinning === 'dual' ? 'linear' : 'dual';
      const words = other === 'dual' ? 'Measuring with dual quaternions' : 'Measuring with linear skinning';
      put({ other: byJoint(await measure(words, { ...question, skinning: other }, stop.signal)) });
      const came = { ...question, rows: this.#session.character.rows };
      put({ before: byJoint(await measure('Measuring how it came', came, stop.signal)) });
    } catch (error) {
      if (!(error instanceof DOMException))
        this.failure = error instanceof Error ? error.message : String(error);
    } finally {
      if (this.#stop === stop) this.running = undefined;
      this.#tell();
    }
  }

  /** Measures the chosen joint anew, and puts it where it belongs now. */
  async #follow(): Promise<void> {
    const { joint } = this.#session;
    const range = joint < 0 ? undefined : this.rangeOf(joint);
    if (!range || !this.range || this.running) return;
    const turn = ++this.#asked;
    try {
      const runner = await this.#workers.desk();
      const [trial] = await runner.range(this.#workers.question(), [range]);
      if (turn !== this.#asked || !this.range) return;
      const others = this.range.trials.filter((one) => one.joint !== joint);
      this.range = { ...this.range, trials: byDamage(trial ? [...others, trial] : others) };
    } catch (error) {
      this.failure = error instanceof Error ? error.message : String(error);
    }
    this.#tell();
  }

  // ---- strays --------------------------------------------------------------------------------------------------

  async findStrays(): Promise<void> {
    this.#progress('Looking for strays', 0.5);
    try {
      const runner = await this.#workers.desk();
      this.strays = await runner.strays(this.#workers.question());
      this.straysStale = false;
    } catch (error) {
      this.failure = error instanceof Error ? error.message : String(error);
    } finally {
      this.running = undefined;
      this.#tell();
    }
  }

  isDismissed(stray: RankedStray): boolean {
    return this.#session.settings.dismissed.some((one) => covers(one, stray));
  }

  /** Says that a stray is meant; it stays so. */
  dismiss(stray: RankedStray): void {
    const { dismissed } = this.#session.settings;
    this.#session.setSettings({ dismissed: [...dismissed, asDismissed(stray)] });
    this.#tell();
  }

  /** Takes back what was dismissed. */
  restore(stray: RankedStray): void {
    const { dismissed } = this.#session.settings;
    this.#session.setSettings({ dismissed: dismissed.filter((one) => !covers(one, stray)) });
    this.#tell();
  }

  /** Removes strays as one operation. @returns how many of their points kept their weight */
  async remove(listed: readonly RankedStray[], receiver: Receiver): Promise<number> {
    await this.#session.strokeEnded();
    // Somebody has painted since they were found: only what strays still is taken.
    if (this.straysStale) await this.findStrays();
    const strays = listed.flatMap((one) => {
      const now = this.strays?.find((other) => other === one || covers(asDismissed(one), other));
      return now ? [now] : [];
    });
    const [first] = strays;
    if (!first) throw new Error('This weight has changed meanwhile and does not stray any more.');
    const { change, held } = this.#removal(strays, receiver);
    const label =
      strays.length === 1
        ? `Stray of ${this.#session.jointName(first.joint)} removed`
        : `${strays.length} strays removed`;
    await this.#session.perform(label, change);
    const gone = new Set(strays);
    this.strays = this.strays?.filter((stray) => !gone.has(stray));
    this.#tell();
    return held;
  }

  #removal(strays: readonly RankedStray[], receiver: Receiver): { change: Change; held: number } {
    const { parts } = this.#session.character;
    const rows = this.#session.rowsOfPart();
    const { locks, confines } = rulesOf(this.#session);
    const limit = Math.max(...rows.map(({ stride }) => stride));
    return removeStrays(parts, rows, strays, { receiver, locks, confines, limit });
  }

  // ---- crossings, and what stays behind ------------------------------------------------------------------------

  /** How two parts cross in each of several poses. */
  async crossAll(pair: readonly [number, number], poses: readonly Pose[]): Promise<Crossing[]> {
    const runner = await this.#workers.desk();
    return runner.crossings(this.#workers.question(), pair, poses);
  }

  /**
   * What would stay behind if the whole character were carried by its uppermost joints: points without weight, by part.
   */
  leftBehind(): Map<number, Uint32Array> {
    const found = new Map<number, Uint32Array>();
    const live = new Set(liveJoints(this.#session.skeleton));
    for (const { index, part, skin, visible } of this.#session.parts) {
      if (!visible || part.role !== 'skinned') continue;
      const { joints, values, stride, pointCount } = skin.rows;
      const points: number[] = [];
      for (let p = 0; p < pointCount; p++) {
        let moved = 0;
        for (let k = p * stride; k < (p + 1) * stride && values[k] > 0; k++)
          if (live.has(joints[k])) moved += values[k];
        if (moved < 0.999) points.push(p);
      }
      if (points.length > 0) found.set(index, Uint32Array.from(points));
    }
    return found;
  }
}

const asDismissed = ({ part, joint, points }: RankedStray): DismissedStray => ({
  part,
  joint,
  points: [...points],
});

function covers({ part, joint, points }: DismissedStray, stray: RankedStray): boolean {
  if (part !== stray.part || joint !== stray.joint) return false;
  const held = new Set(points);
  return stray.points.filter((p) => held.has(p)).length >= SAME_SHARE * stray.points.length;
}

const byJoint = (trials: readonly JointTrial[]): Map<number, JointTrial> =>
  new Map(trials.map((trial) => [trial.joint, trial]));

/** Frames that several threads have measured, joint by joint in one row. */
function joinFrames(found: readonly JointTrial[]): JointTrial[] {
  const all = new Map<number, JointTrial['poses'][number][]>();
  for (const { joint, poses } of found) all.set(joint, [...(all.get(joint) ?? []), ...poses]);
  return [...all].map(([joint, poses]) => trialOf(joint, poses));
}
