import { findMotionRanges } from '@judoka/core/animation';
import { rangeFigures } from '@judoka/core/analysis/bends';
import {
  BIND_METHODS,
  BIND_WORDS,
  bindNotes,
  type BindMethod,
  type BindReport,
  type BindRequest,
} from '@judoka/core/operations/bind';
import { CoreError, isAbort, messageOf } from '@judoka/core/errors';
import { markAncestors, restPlaces } from '@judoka/core/skeleton';
import { apply, type Change, copyRows, countUnweighted, type WeightRows } from '@judoka/core/weights';
import { Events } from '../../document/events.ts';
import { OLD } from '../../document/alternative.ts';
import type { Comparison } from '../../document/Proposals.ts';
import { TrialThreads } from '../../document/TrialThreads.ts';
import { nextTurn } from '../../document/turns.ts';
import type { Editing } from '../../scene/Editing.ts';
import { confinesOf, deformingJoints, isBound, openPoints } from '../../scene/scope.ts';
import { shownParts } from '../../scene/shownParts.ts';
import { runBind, runMix } from './bindRun.ts';

export const METHOD_NAMES: Readonly<Record<BindMethod, string>> = {
  nearest: 'Nearest',
  heat: 'Heat',
  volume: 'Volume',
};

const MIXED = 'Mixed';

/** What is asked of a binding. */
export interface BindWish {
  readonly softness: number;
  readonly limit: number;
  /** Only the selected points, only the chosen joints. */
  readonly bindSelected: boolean;
  readonly bindChosen: boolean;
  /** See BindRequest. */
  readonly cells?: number;
}

interface Running {
  readonly what: string;
  readonly share: number;
  /** Whether only figures are still to come. */
  readonly isMeasuring: boolean;
}

/**
 * First bindings, one or all methods one after the other, each proposed when it is there and then measured over the range
 * of motion. They go on wherever the person looks meanwhile, until what is proposed is kept or dropped.
 */
export class BindRuns {
  readonly #at: Editing;
  readonly events = new Events<'changed'>();
  #stop: AbortController | undefined;
  /** Alternatives that are measured, and how many there are to be. */
  #measured = { done: 0, of: 1 };
  running: Running | undefined;
  /** Why the last run ended early, in a sentence. */
  failure = '';

  constructor(at: Editing) {
    this.#at = at;
  }

  close(): void {
    this.stop();
  }

  stop(): void {
    this.#stop?.abort();
  }

  /** One method alone. */
  bind(method: BindMethod, wish: BindWish): Promise<void> {
    return this.#run(async (signal, watch) => {
      const { document } = this.#at;
      const { proposals } = document;
      const before = proposals.rowsBefore();
      await this.#inTurn(METHOD_NAMES[method], async (tell) => {
        const { change, report } = await this.#bind(method, wish, before, tell, signal);
        await proposals.propose(BIND_WORDS[method], change, { notes: this.#notes(report) });
        if (report.changed === 0) document.notify('The binding is just as it was: nothing changed.');
      });
      const { current, comparison } = proposals;
      if (!current) return;
      watch(comparison);
      this.#beginMeasuring(hasWeights(before) ? 2 : 1);
      await this.#withThreads(async (threads) => {
        await this.#measure(threads, comparison, 0, before, signal);
        await this.#measureOld(threads, comparison, before, signal);
      });
    });
  }

  /** All methods, the quickest first. */
  compare(wish: BindWish): Promise<void> {
    return this.#run((signal, watch) =>
      this.#withThreads(async (threads) => {
        const { proposals } = this.#at.document;
        const [before, madeOn] = [proposals.rowsBefore(), proposals.head];
        let measuring: Promise<void> = Promise.resolve();
        this.#measured = { done: 0, of: BIND_METHODS.length + (hasWeights(before) ? 1 : 0) };
        for (const [index, method] of BIND_METHODS.entries()) {
          const comparison = await this.#compareOne(index, method, wish, { before, madeOn }, signal);
          watch(comparison);
          // Measuring has threads of its own: the next method need not wait for it.
          measuring = measuring.then(() => this.#measure(threads, comparison, index, before, signal));
          measuring.catch(() => undefined);
        }
        this.#tellMeasured(0, true);
        await measuring;
        await this.#measureOld(threads, proposals.comparison, before, signal);
      }),
    );
  }

  /** Binds by one of all methods and puts it beside those before it. */
  #compareOne(
    index: number,
    method: BindMethod,
    wish: BindWish,
    { before, madeOn }: { before: readonly WeightRows[]; madeOn: number },
    signal: AbortSignal,
  ): Promise<Comparison> {
    const { proposals } = this.#at.document;
    const name = METHOD_NAMES[method];
    const { comparison } = proposals;
    return this.#inTurn(`${name}, ${index + 1} of ${BIND_METHODS.length}`, async (tell) => {
      const { change, report } = await this.#bind(method, wish, before, tell, signal);
      const found = { label: BIND_WORDS[method], name, change, notes: this.#notes(report) };
      if (index === 0) return proposals.begin(found, madeOn);
      await proposals.add(comparison, found, { madeOn });
      return comparison;
    });
  }

  /** What is on the stage, with some joints as in another of those proposed: one more of them. */
  mix(other: number, joints: readonly number[], limit: number): Promise<void> {
    return this.#run(async (signal, watch) => {
      const { document } = this.#at;
      const { proposals } = document;
      const { current, comparison } = proposals;
      if (!current) return;
      watch(comparison);
      this.#tell('Mixing', 0);
      const before = proposals.rowsBefore();
      const taken = new Uint8Array(document.skeleton.joints.length);
      for (const joint of joints) taken[joint] = 1;
      const { alternatives, change: main } = current;
      const change = await runMix(
        before.map(copyRows),
        { main, other: alternatives[other].change, joints: taken },
        { locks: document.locks.slice(), limit, confines: confinesOf(this.#at) },
        signal,
      );
      const whose = joints.length === 1 ? document.jointName(joints[0]) : `${joints.length} joints`;
      const label = `${current.label}, ${whose} as by ${alternatives[other].name.toLowerCase()}`;
      const earlier = alternatives.filter((each) => each.name.startsWith(MIXED)).length;
      const name = earlier === 0 ? MIXED : `${MIXED} ${earlier + 1}`;
      if (!(await proposals.add(comparison, { label, name, change, notes: current.notes }, { shows: true })))
        return;
      this.#beginMeasuring(1);
      await this.#withThreads((threads) =>
        this.#measure(threads, comparison, alternatives.length, before, signal),
      );
    });
  }

  /** Measures what is proposed and has not been measured, the old weights too where others were. */
  measureRest(): Promise<void> {
    return this.#run(async (signal, watch) => {
      const { proposals } = this.#at.document;
      const { current, comparison } = proposals;
      if (!current) return;
      watch(comparison);
      const before = proposals.rowsBefore();
      const open = current.alternatives.flatMap(({ figures }, index) => (figures ? [] : [index]));
      if (!current.before && hasWeights(before)) open.push(OLD);
      this.#beginMeasuring(open.length);
      await this.#withThreads(async (threads) => {
        for (const index of open) await this.#measure(threads, comparison, index, before, signal);
      });
    });
  }

  #beginMeasuring(of: number): void {
    this.#measured = { done: 0, of };
    this.#tellMeasured(0, true);
  }

  /** How far measuring is; told while nothing else is waited for. */
  #tellMeasured(share: number, begins = false): void {
    const { done, of } = this.#measured;
    if (begins || this.running?.isMeasuring) this.#tell('Measuring the bends', (done + share) / of, true);
  }

  #tell(what: string, share: number, isMeasuring = false): void {
    this.running = { what, share, isMeasuring };
    this.events.publish('changed');
  }

  async #run(
    work: (signal: AbortSignal, watch: (comparison: Comparison) => void) => Promise<void>,
  ): Promise<void> {
    this.stop();
    const control = new AbortController();
    this.#stop = control;
    this.failure = '';
    const { proposals, events } = this.#at.document;
    let watched: Comparison | undefined;
    // What is kept or dropped needs no more beside it.
    const end = events.subscribe('shown', () => {
      if (watched && !proposals.isOpen(watched)) control.abort();
    });
    try {
      this.#at.document.writer.needOpen();
      await work(control.signal, (comparison) => (watched = comparison));
    } catch (error) {
      if (!isAbort(error) && this.#stop === control) this.failure = messageOf(error);
    } finally {
      end();
      if (this.#stop === control) this.running = undefined;
      this.events.publish('changed');
    }
  }

  async #inTurn<Made>(what: string, work: (tell: (share: number) => void) => Promise<Made>): Promise<Made> {
    const tell = (share: number): void => this.#tell(what, share);
    tell(0);
    // Copying and sending are much for one turn of the page.
    await nextTurn();
    return work(tell);
  }

  async #withThreads(work: (threads: TrialThreads) => Promise<void>): Promise<void> {
    const threads = new TrialThreads(this.#at.document);
    try {
      await work(threads);
    } finally {
      threads.close();
    }
  }

  #notes(report: BindReport): ReturnType<typeof bindNotes> {
    return bindNotes(report, (part) => this.#at.document.partName(part));
  }

  async #bind(
    method: BindMethod,
    wish: BindWish,
    rows: readonly WeightRows[],
    tell: (share: number) => void,
    signal: AbortSignal,
  ): Promise<{ change: Change; report: BindReport }> {
    const { character, skeleton } = this.#at.document;
    const request = { ...this.#request(wish), method };
    return runBind(
      { parts: character.parts, skeleton, rows: rows.map(copyRows), drawing: character.drawing },
      request,
      tell,
      signal,
    );
  }

  #request({ softness, limit, bindSelected, bindChosen, cells }: BindWish): Omit<BindRequest, 'method'> {
    const at = this.#at;
    const selected = bindSelected ? at.scene.selection.points() : undefined;
    if (selected?.size === 0)
      throw new CoreError('argument-invalid', 'No point is selected. Select points, or bind all of them.');
    const parts = shownParts(at.scene.parts)
      .filter(({ index }) => isBound(at, index) && (!selected || selected.has(index)))
      .map(({ index }) => index);
    return {
      parts,
      points: openPoints(at, selected),
      deforming: deformingJoints(at, bindChosen ? at.scene.chosenJoints() : undefined),
      softness,
      limit,
      cells,
      locks: at.document.locks.slice(),
      confines: confinesOf(at),
    };
  }

  async #measureOld(
    threads: TrialThreads,
    comparison: Comparison,
    before: readonly WeightRows[],
    signal: AbortSignal,
  ): Promise<void> {
    if (hasWeights(before)) await this.#measure(threads, comparison, OLD, before, signal);
  }

  /** Measures one of those proposed over the ranges of all joints that may deform, so that each is asked the same. */
  async #measure(
    threads: TrialThreads,
    comparison: Comparison,
    index: number,
    before: readonly WeightRows[],
    signal: AbortSignal,
  ): Promise<void> {
    const { document } = this.#at;
    const { current } = document.proposals;
    if (!current || !document.proposals.isOpen(comparison)) return;
    const rows = before.map(copyRows);
    if (index !== OLD) apply(rows, current.alternatives[index].change);
    const ranges = this.#ranges();
    const trials = await threads.share(
      (runner, thread, of, tell) =>
        runner.range(
          threads.question(rows),
          ranges.filter((_, i) => i % of === thread),
          tell,
        ),
      (share) => this.#tellMeasured(share),
      signal,
    );
    this.#measured = { ...this.#measured, done: this.#measured.done + 1 };
    document.proposals.setFigures(comparison, index, rangeFigures(trials));
  }

  #ranges(): ReturnType<typeof findMotionRanges> {
    const { skeleton, pairs, settings } = this.#at.document;
    const moves = deformingJoints(this.#at);
    markAncestors(skeleton, moves);
    return findMotionRanges(
      skeleton,
      restPlaces(skeleton),
      pairs,
      (joint) => moves[joint] === 1,
      settings.ranges,
      this.#at.document.character.drawing !== undefined,
    );
  }
}

const hasWeights = (rowsOfPart: readonly WeightRows[]): boolean =>
  rowsOfPart.some((rows) => countUnweighted(rows) < rows.pointCount);
