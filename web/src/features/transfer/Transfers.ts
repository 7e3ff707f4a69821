import { documentHeader, unpackFrame } from '@judoka/contract';
import { counted, shapesOf, type CharacterPart } from '@judoka/core/document';
import { isAbort, messageOf } from '@judoka/core/errors';
import {
  DEFAULT_ANGLE,
  DEFAULT_DISTANCE,
  handMatrix,
  TransferState,
  type JointMatch,
  type TransferReport,
} from '@judoka/core/operations/transfer';
import {
  addJoint,
  applySkeletonChange,
  freeJointName,
  liveJoints,
  type SkeletonChange,
} from '@judoka/core/skeleton';
import { isEmpty } from '@judoka/core/weights';
import * as Comlink from 'comlink';
import { requestBytes } from '../../api/http.ts';
import { Events } from '../../document/events.ts';
import type { ProposalNote } from '../../document/alternative.ts';
import type { Comparison } from '../../document/Proposals.ts';
import type { Editing } from '../../scene/Editing.ts';
import { confinesOf, openPoints } from '../../scene/scope.ts';
import { uiSettings } from '../../settings/store.ts';
import type {
  PrepareAnswer,
  ShownSource,
  SourceSummary,
  Told,
  TransferTarget,
  TransferThread,
} from './transfer.worker.ts';

export type SourceKind = 'file' | 'shelf' | 'own';

/** What a person moves the source by, after it was aligned. */
export interface HandMoves {
  /** In shares of the size. */
  readonly x: number;
  readonly y: number;
  readonly z: number;
  /** Degrees about the axis that leads up. */
  readonly turn: number;
  readonly scale: number;
}

const NO_MOVES: HandMoves = { x: 0, y: 0, z: 0, turn: 0, scale: 1 };

export interface TransferWish {
  readonly distance: number;
  readonly angle: number;
  readonly onlySelected: boolean;
}

type Thread = Comlink.Remote<TransferThread>;
type Tell = (share: number) => void;
type Reading = (thread: Thread, tell: Tell) => Promise<Told<SourceSummary>>;

/**
 * Weights from another surface: the source that was chosen, how its joints and its place are matched, and what it gives,
 * as a proposal. The work is done in a thread that keeps the source.
 */
export class Transfers {
  readonly events = new Events<'changed'>();
  readonly #at: Editing;
  name = '';
  source: SourceSummary | undefined;
  /** Source parts that weights are taken from. */
  listed: readonly number[] = [];
  prepared: PrepareAnswer | undefined;
  given: ReadonlyMap<number, number> = new Map();
  moves: HandMoves = NO_MOVES;
  wish: TransferWish = { distance: DEFAULT_DISTANCE, angle: DEFAULT_ANGLE, onlySelected: false };
  report: TransferReport | undefined;
  /** Whether the source is drawn over the character. */
  isShownOver = true;
  /** What is being done, and how far it is. */
  busy: { readonly what: string; readonly share: number } | undefined;
  failure = '';
  #worker: Worker | undefined;
  #thread: Thread | undefined;
  /** How the source is read, should its thread be ended. */
  #reading: Reading | undefined;
  /** Counts what was begun: who is no longer the last does not tell how far it is. */
  #task = 0;
  #stopped: ((reason: unknown) => void) | undefined;
  #comparison: Comparison | undefined;
  #asking = 0;
  #isPageOpen = false;
  #isOwn = false;
  #drawn: readonly ShownSource[] = [];

  constructor(at: Editing) {
    this.#at = at;
    at.document.events.subscribe('joints', () => {
      if (this.source) void this.#prepare();
    });
  }

  close(): void {
    this.#end();
  }

  /** Whether the page is open: only then the source is drawn, over the character at rest. */
  setPageOpen(isOpen: boolean): void {
    this.#isPageOpen = isOpen;
    this.#changed();
  }

  /** Ends what is being done. A source that was read already is read again, with all that was corrected. */
  stop(): void {
    const again = this.prepared && this.busy?.what === 'Transferring' ? this.#reading : undefined;
    this.#end();
    if (again) void this.#read(again).then(() => this.#prepare());
  }

  #end(): void {
    this.#worker?.terminate();
    this.#worker = this.#thread = undefined;
    this.#stopped?.(new DOMException('Stopped.', 'AbortError'));
    this.#stopped = undefined;
    this.#task++;
    this.source = this.prepared = undefined;
    this.busy = undefined;
    this.#changed();
  }

  openFile(file: File): Promise<void> {
    return this.#open(file.name, async (thread) => thread.open(new Uint8Array(await file.arrayBuffer())));
  }

  openShelf(id: string, name: string): Promise<void> {
    return this.#open(name, async (thread, tell) => {
      const [bytes, frame] = await Promise.all([
        requestBytes(`/api/characters/${id}/source.glb`, tell),
        requestBytes(`/api/characters/${id}/document`).then(unpackFrame),
      ]);
      const { joints, values } = documentHeader.parse(frame.header);
      const weights = frame.blobs[0].slice();
      return thread.open(bytes, { weights, setups: joints, shapes: shapesOf(values) });
    });
  }

  /** Other parts of the same character: at first its largest. */
  async openOwn(): Promise<void> {
    const { document } = this.#at;
    await this.#open(document.name, (thread) => thread.openOwn(this.#target(), document.copyRows()), true);
  }

  setListed(listed: readonly number[]): void {
    this.listed = listed;
    void this.#prepare();
  }

  /** Says where a source joint's weight goes; undefined leaves it to be found. */
  setGiven(joint: number, target: number | undefined): void {
    const given = new Map(this.given);
    if (target === undefined) given.delete(joint);
    else given.set(joint, target);
    this.given = given;
    void this.#prepare();
  }

  setMoves(moves: Partial<HandMoves>): void {
    this.moves = { ...this.moves, ...moves };
    void this.#prepare();
  }

  setShownOver(isShownOver: boolean): void {
    this.isShownOver = isShownOver;
    this.#changed();
  }

  /** Changes what is asked for; what is proposed already follows. */
  setWish(wish: Partial<TransferWish>): void {
    this.wish = { ...this.wish, ...wish };
    this.#changed();
    if (this.#isProposed()) this.#again();
  }

  /** Source joints with weight that have no counterpart of their own. */
  missing(): JointMatch[] {
    const { source } = this;
    return (this.prepared?.joints ?? []).filter(
      ({ source: joint, basis }) =>
        (basis === 'above' || basis === 'none') && (source?.joints[joint].mass ?? 0) > 0,
    );
  }

  /** Adds joints for those that have no counterpart, where they stand in the source, as one edit. */
  async addMissing(): Promise<void> {
    const { document } = this.#at;
    const { prepared, source } = this;
    if (!prepared || !source) return;
    const names = new Set(liveJoints(document.skeleton).map((joint) => document.jointName(joint)));
    const made = new Map<number, number>();
    let joints: SkeletonChange = [];
    let { skeleton } = document;
    for (const { source: joint, target } of this.missing()) {
      const parent = made.get(prepared.parents[joint]) ?? target;
      const name = freeJointName(names, source.joints[joint].name);
      names.add(name);
      const [x, y, z] = prepared.places.subarray(joint * 3, joint * 3 + 3);
      const added = addJoint(skeleton, crypto.randomUUID(), parent, name, [x, y, z]);
      skeleton = applySkeletonChange(skeleton, added);
      joints = [...joints, ...added];
      made.set(joint, added[0].joint);
    }
    await document.perform(`Add ${counted(made.size, 'joint')} of ${this.name}`, { joints });
  }

  /** Proposes what the source gives. */
  run(): Promise<void> {
    return this.#work('Transferring', async (thread, tell) => {
      const { document, scene } = this.#at;
      const asking = ++this.#asking;
      const { distance, angle, onlySelected } = this.wish;
      const points = openPoints(this.#at, onlySelected ? scene.selection.points() : this.#otherParts());
      const own = document.proposals.rowsBefore();
      const rules = {
        locks: document.locks.slice(),
        limit: uiSettings().limit,
        confines: confinesOf(this.#at),
      };
      const { change, report } = value(
        await thread.run(
          this.#target(),
          own,
          {
            ...{ distance, angle, points, rules, rigidParts: document.settings.rigidParts },
            takesAllParts: this.#isOwn,
          },
          Comlink.proxy(tell),
        ),
      );
      // A later wish is on its way.
      if (asking !== this.#asking) return;
      this.report = report;
      if (isEmpty(change)) {
        document.notify('The weights are just as the source has them: nothing would change.');
        return;
      }
      await document.proposals.propose(`Weights from ${this.name}`, change, {
        name: 'New',
        notes: this.#notes(report),
      });
      this.#comparison = document.proposals.comparison;
    });
  }

  /** Of the character's own parts, those that do not give. */
  #otherParts(): Map<number, Uint32Array> | undefined {
    if (!this.#isOwn) return undefined;
    return new Map(
      this.#at.scene.parts
        .filter(
          ({ index, visible, part }) => visible && part.role === 'skinned' && !this.listed.includes(index),
        )
        .map(({ index, part }) => [index, Uint32Array.from({ length: part.pointCount }, (_, p) => p)]),
    );
  }

  #again(): void {
    const wished = this.wish;
    setTimeout(() => {
      if (wished === this.wish && this.#isProposed()) void this.run();
    }, FOLLOW_MS);
  }

  #isProposed(): boolean {
    return this.#comparison !== undefined && this.#at.document.proposals.isOpen(this.#comparison);
  }

  async #open(name: string, reading: Reading, isOwn = false): Promise<void> {
    this.#isOwn = isOwn;
    this.#reading = reading;
    this.source = this.prepared = this.report = undefined;
    this.given = new Map();
    this.moves = NO_MOVES;
    this.name = name;
    this.listed = [];
    const parts = (await this.#read(reading))?.parts ?? [];
    const largest = parts.reduce((most, { points }, i) => (points > parts[most].points ? i : most), 0);
    this.listed = isOwn ? [largest] : parts.map((_, part) => part);
    await this.#prepare();
  }

  async #read(reading: Reading): Promise<SourceSummary | undefined> {
    await this.#work('Reading', async (thread, tell) => {
      this.source = value(await reading(thread, tell));
    });
    return this.source;
  }

  async #prepare(): Promise<void> {
    if (!this.source) return;
    await this.#work('Matching', async (thread) => {
      const asking = ++this.#asking;
      const answer = value(await thread.prepare(this.#target(), this.listed, this.given, this.#hand()));
      if (asking !== this.#asking) return;
      this.prepared = answer;
    });
    if (this.#isProposed() && this.failure === '') this.#again();
  }

  async #work(what: string, work: (thread: Thread, tell: Tell) => Promise<void>): Promise<void> {
    this.failure = '';
    const task = ++this.#task;
    // Reports travel on a way of their own and may come in behind the answer, or behind the end.
    const tell = (share: number): void => {
      if (task !== this.#task) return;
      this.busy = { what, share };
      this.#changed();
    };
    tell(0);
    try {
      await Promise.race([work(this.#threadOf(), tell), this.#stop()]);
    } catch (error) {
      if (!isAbort(error)) {
        this.failure = messageOf(error);
        if (what !== 'Transferring') this.prepared = undefined;
      }
    } finally {
      if (task === this.#task) {
        this.#task++;
        this.busy = undefined;
      }
      this.#changed();
    }
  }

  #stop(): Promise<never> {
    return new Promise((_, reject) => {
      this.#stopped = reject;
    });
  }

  #threadOf(): Thread {
    if (this.#thread) return this.#thread;
    this.#worker = new Worker(new URL('./transfer.worker.ts', import.meta.url), { type: 'module' });
    this.#worker.addEventListener('error', (event) =>
      this.#stopped?.(new Error(event.message || 'The transfer failed.')),
    );
    this.#thread = Comlink.wrap<TransferThread>(this.#worker);
    return this.#thread;
  }

  #target(): TransferTarget {
    const { skeleton, character } = this.#at.document;
    return { skeleton, parts: character.parts.map(onlyShape) };
  }

  #hand(): Float32Array | undefined {
    const { x, y, z, turn, scale } = this.moves;
    if (this.moves === NO_MOVES) return undefined;
    const { size, up } = this.#at.document;
    return handMatrix({
      ...{ centre: centreOf(this.#at), axis: up, degrees: turn, scale },
      way: [x * size, y * size, z * size],
    });
  }

  #notes({ states, filled, far, rigid, held }: TransferReport): ProposalNote[] {
    const notes: ProposalNote[] = [];
    const say = (state: number, words: (points: string) => string): void => {
      for (const [part, own] of states) {
        const points = Uint32Array.from(own.keys()).filter((p) => own[p] === state);
        if (points.length > 0)
          notes.push({
            words: `${this.#at.document.partName(part)}: ${words(counted(points.length, 'point'))}`,
            part,
            points,
          });
      }
    };
    if (filled > 0)
      say(TransferState.filled, (points) => `${points} had no counterpart and were filled from around.`);
    if (far > 0) say(TransferState.far, (points) => `${points} had nothing near: they took what is nearest.`);
    if (rigid > 0) say(TransferState.rigid, (points) => `${points} on rigid pieces follow one joint each.`);
    if (held > 0)
      notes.push({
        words: `${counted(held, 'point stays', 'points stay')} as it was: nothing could give it weight.`,
      });
    return notes;
  }

  #changed(): void {
    const { scene } = this.#at;
    const shown = this.#isPageOpen && this.isShownOver ? (this.prepared?.shown ?? []) : [];
    if (shown !== this.#drawn) {
      const isOver = shown.length > 0;
      if (isOver !== this.#drawn.length > 0) scene.setShowsRest(isOver);
      this.#drawn = shown;
      scene.setGhost(shown);
    }
    this.events.publish('changed');
  }
}

/** A slider that is dragged is followed once it rests this long. */
const FOLLOW_MS = 200;

function value<T>(told: Told<T>): T {
  if (told.ok) return told.value;
  throw new Error(told.message);
}

/** The middle of the character's joints: what a person turns the source about. */
function centreOf({ document }: Editing): [number, number, number] {
  const live = liveJoints(document.skeleton);
  const centre: [number, number, number] = [0, 0, 0];
  for (const joint of live) {
    const place = document.restPlace(joint);
    for (let k = 0; k < 3; k++) centre[k] += place[k] / live.length;
  }
  return centre;
}

/** A part without what would travel for nothing. */
const onlyShape = (part: CharacterPart): CharacterPart => ({
  ...part,
  vertexPoint: NOTHING,
  normals: NO_NORMALS,
});
const NOTHING = new Uint32Array(0);
const NO_NORMALS = new Float32Array(0);
