import { decodeRows, documentHeader, unpackFrame } from '@judoka/contract';
import { differenceAmounts, listDifferences, type Differences } from '@judoka/core/analysis/difference';
import { worstFigures, type JointTrial } from '@judoka/core/analysis/bends';
import { FILE_SHAPES } from '@judoka/core/document';
import { CoreError, isAbort, messageOf } from '@judoka/core/errors';
import { readPastRows } from '@judoka/core/operations/rescue';
import { matchJoints } from '@judoka/core/operations/transfer';
import { restPlaces, withSetups } from '@judoka/core/skeleton';
import { copyRows, renumberRows, type WeightRows } from '@judoka/core/weights';
import { requestBytes } from '../../api/http.ts';
import { rowsOfParts } from '../../document/moments/rowsOfParts.ts';
import { Events } from '../../document/events.ts';
import { AS_IT_CAME, type MomentChoice } from '../../document/moments/Moments.ts';
import { TrialThreads } from '../../document/TrialThreads.ts';
import type { Editing } from '../../scene/Editing.ts';
import type { Trial } from '../../trial/Trial.ts';

/** One of the two that are compared: the character as it is now, a moment of it, or another one of the same points. */
export type Compared =
  | { readonly kind: 'now' }
  | { readonly kind: 'moment'; readonly choice: MomentChoice }
  | { readonly kind: 'other'; readonly id: string; readonly name: string };

export const NOW: Compared = { kind: 'now' };

export const comparedName = (one: Compared): string =>
  one.kind === 'now' ? 'Now' : one.kind === 'moment' ? one.choice.name : one.name;

/** How a joint bends in both, at its worst: the most stretched edge, 1 for double its length. */
export interface ComparedBend {
  readonly joint: number;
  readonly before: number;
  readonly after: number;
}

interface Side {
  readonly of: Compared;
  readonly rows: readonly WeightRows[] | undefined;
}

type At = Editing & { readonly trial: Pick<Trial, 'ranges'> };

/** Weights at rest for this long are compared anew. */
const SETTLED_MS = 300;
/** Less is no change of a bend. */
const LEAST_BEND = 0.01;

/** Two states held against each other: where weights differ, by how much, and which bends became better or worse. */
export class Comparing {
  readonly events = new Events<'changed'>();
  readonly #at: At;
  before: Side = { of: { kind: 'moment', choice: AS_IT_CAME }, rows: undefined };
  after: Side = { of: NOW, rows: undefined };
  differences: Differences | undefined;
  /** Bends that changed, the most changed first; undefined while nobody has measured them. */
  bends: readonly ComparedBend[] | undefined;
  measuring: number | undefined;
  trouble: string | undefined;
  #looks = 0;
  #timer: ReturnType<typeof setTimeout> | undefined;
  #stop: AbortController | undefined;

  constructor(at: At) {
    this.#at = at;
    at.document.events.subscribe('weights', () => this.#soon());
    at.document.events.subscribe('joints', () => this.#soon());
  }

  close(): void {
    clearTimeout(this.#timer);
    this.#stop?.abort();
  }

  /** While nobody looks nothing is compared. @returns what ends this look */
  open(): () => void {
    this.#looks++;
    if (this.before.rows === undefined) this.choose('before', this.before.of);
    else this.compare();
    return () => {
      if (--this.#looks > 0) return;
      this.stopMeasuring();
      this.#at.scene.setBeside(undefined);
    };
  }

  choose(side: 'before' | 'after', of: Compared): void {
    this[side] = { of, rows: undefined };
    this.differences = this.bends = this.trouble = undefined;
    this.events.publish('changed');
    this.#load(of)
      .then((rows) => {
        if (this[side].of !== of) return;
        this[side] = { of, rows };
        this.compare();
      })
      .catch((error: unknown) => {
        if (this[side].of !== of) return;
        this.trouble = `“${comparedName(of)}” cannot be compared. ${messageOf(error)}`;
        this.events.publish('changed');
      });
  }

  /** Compares anew what is there. */
  compare(): void {
    const sides = this.#sides();
    if (!sides || this.#looks === 0) return;
    const neighbours = this.#at.document.parts.map((part) => part.neighbours);
    this.differences = listDifferences(sides.before, sides.after, neighbours);
    this.bends = undefined;
    this.#at.scene.setBeside(sides.before);
    this.events.publish('changed');
  }

  /**
   * By part, how far the two are apart at each point: of one joint with its sign, of all joints together for -1.
   * @returns undefined while they are not there
   */
  amounts(joint: number): Float32Array[] | undefined {
    const sides = this.#sides();
    return sides?.before.map((rows, part) => {
      const out = new Float32Array(rows.pointCount);
      differenceAmounts(rows, sides.after[part], joint, out);
      return out;
    });
  }

  stopMeasuring(): void {
    this.#stop?.abort();
  }

  /** Measures the bends of all joints in both, and lists those that changed. */
  async measure(): Promise<void> {
    const sides = this.#sides();
    if (!sides || this.measuring !== undefined) return;
    this.#stop = new AbortController();
    const { signal } = this.#stop;
    const threads = new TrialThreads(this.#at.document);
    try {
      const before = await this.#trials(threads, sides.before, 0, signal);
      const after = await this.#trials(threads, sides.after, 0.5, signal);
      const were = new Map(before.map((trial) => [trial.joint, worstFigures(trial, 'stretch').stretch]));
      this.bends = after
        .map((trial) => ({
          joint: trial.joint,
          before: were.get(trial.joint) ?? 0,
          after: worstFigures(trial, 'stretch').stretch,
        }))
        .filter((bend) => Math.abs(bend.after - bend.before) >= LEAST_BEND)
        .sort((a, b) => Math.abs(b.after - b.before) - Math.abs(a.after - a.before));
    } catch (error) {
      if (!isAbort(error)) this.#at.document.notifyError(error);
    } finally {
      threads.close();
      this.measuring = undefined;
      this.events.publish('changed');
    }
  }

  #trials(
    threads: TrialThreads,
    rows: readonly WeightRows[],
    from: number,
    signal: AbortSignal,
  ): Promise<JointTrial[]> {
    const ranges = this.#at.trial.ranges();
    const tell = (share: number): void => {
      this.measuring = from + share / 2;
      this.events.publish('changed');
    };
    tell(0);
    return threads.share(
      (runner, index, of, report) =>
        runner.range(
          threads.question(rows.map(copyRows)),
          ranges.filter((_, i) => i % of === index),
          report,
        ),
      tell,
      signal,
    );
  }

  /** Both, if both are there. What is now is read as it is. */
  #sides(): { before: readonly WeightRows[]; after: readonly WeightRows[] } | undefined {
    const rowsOf = (side: Side): readonly WeightRows[] | undefined =>
      side.of.kind === 'now' ? this.#at.document.rowsOfPart() : side.rows;
    const [before, after] = [rowsOf(this.before), rowsOf(this.after)];
    return before && after && { before, after };
  }

  #soon(): void {
    clearTimeout(this.#timer);
    if (this.#looks === 0 || (this.before.of.kind !== 'now' && this.after.of.kind !== 'now')) return;
    this.#timer = setTimeout(() => this.compare(), SETTLED_MS);
  }

  async #load(of: Compared): Promise<readonly WeightRows[]> {
    const { document } = this.#at;
    if (of.kind === 'now') return document.rowsOfPart();
    if (of.kind === 'other') return this.#loadOther(of.id);
    return document.moments.rowsOf(await document.moments.load(of.choice)).rows;
  }

  /** Another character's weights, by the joints of this one that are called the same. */
  async #loadOther(id: string): Promise<readonly WeightRows[]> {
    const { document } = this.#at;
    const [bytes, frame] = await Promise.all([
      requestBytes(`/api/characters/${id}/source.glb`),
      requestBytes(`/api/characters/${id}/document`).then(unpackFrame),
    ]);
    const rows = decodeRows(frame.blobs[0]);
    const ofFile = document.parts.filter(({ part }) => part.role !== 'cage');
    const same =
      rows.length >= ofFile.length &&
      ofFile.every(({ rows: { pointCount } }, part) => pointCount === rows[part].pointCount);
    if (!same)
      throw new CoreError(
        'argument-invalid',
        'It has other points. Weights go over to other points under Bind, from another.',
      );
    const { skeleton: base } = await readSkeleton(bytes);
    const skeleton = withSetups(base, documentHeader.parse(frame.header).joints);
    const own = { skeleton: document.skeleton, places: restPlaces(document.skeleton) };
    const matches = matchJoints({ skeleton, places: restPlaces(skeleton) }, own, new Map(), true);
    const to = new Map(matches.map(({ source, target }) => [source, target]));
    return readPastRows(
      rowsOfParts(
        document.parts,
        rows.map((each) => renumberRows(each, (joint) => to.get(joint) ?? -1)),
      ),
      document.skeleton,
      document.skeleton,
    ).rows;
  }
}

async function readSkeleton(bytes: Uint8Array) {
  const { readInWorker } = await import('../../document/reading/reader.ts');
  return (await readInWorker(bytes, FILE_SHAPES, () => undefined)).character;
}
