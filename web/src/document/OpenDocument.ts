import type { DocumentHeader, PlaceEvent, PresentPerson, Role } from '@judoka/contract';
import {
  changeValues,
  checkEdit,
  describeValue,
  editOf,
  editsOf,
  isEmptyEdit,
  readSettings,
  rebaseEdit,
  type Character,
  type CharacterPart,
  type DocumentSettings,
  type DocumentState,
  type DocumentValues,
  type Edit,
  type History,
  type JointNumbers,
  sameJson,
  shapesOf,
  withPointCount,
  type Json,
  type RebasedEdit,
} from '@judoka/core/document';
import { CoreError, messageOf } from '@judoka/core/errors';
import type { KernelMemory } from '@judoka/core/memory';
import type { Neighbours } from '@judoka/core/mesh';
import {
  type Side,
  restPlaces,
  type JointPairs,
  type MiddlePlane,
  type Pose,
  type Skeleton,
} from '@judoka/core/skeleton';
import {
  apply,
  copyRows,
  countPoints,
  cutDelta,
  createRowBatch,
  createRows,
  DEFAULT_STRIDE,
  DeltaBuilder,
  type RowBatch,
  wantedRows,
  type WeightRows,
} from '@judoka/core/weights';
import { BodyMeasures } from './BodyMeasures.ts';
import type { BoundCharacter } from './BoundCharacter.ts';
import { DocumentLog, type CommitOptions, type LogHost } from './DocumentLog.ts';
import { Events } from './events.ts';
import { Following } from './following/Following.ts';
import { OtherReaders } from './readers/OtherReaders.ts';
import { THIS_TAB } from './readers/tabs.ts';
import { Moments } from './moments/Moments.ts';
import { Proposals } from './Proposals.ts';
import { SavedItems } from './SavedItems.ts';
import type { Shown } from './shown.ts';
import type { SaveState } from './queue/saveState.ts';
import { applySlices } from './applySlices.ts';
import { isLarge, nextTurn } from './turns.ts';
import { Writer } from './Writer.ts';

export type DocumentEvent =
  | 'weights'
  | 'joints'
  | 'values'
  | 'history'
  | 'saving'
  | 'refused'
  | 'shown'
  | 'notTaken'
  | 'notice'
  | 'others'
  | 'comments'
  | 'outdated'
  | 'reshaped'
  | 'rest';

/** Something to tell: that all is well is no warning. */
export interface Notice {
  readonly sentence: string;
  readonly kind: 'news' | 'trouble';
}

/** A part of the open character: its shape and its weights, which lie in the kernels' memory. */
export interface DocumentPart {
  readonly index: number;
  readonly part: CharacterPart;
  readonly rows: WeightRows;
  readonly neighbours: Neighbours;
}

/** Rows of a part that were written: the first `count` of `points`. */
export type RowsWritten = (part: number, points: Uint32Array, count: number) => void;

/** A step that changes this share of all points is a large one: what was there before is kept as a moment. */
const LARGE_SHARE = 0.25;
/** Edits that can be undone which a header names. */
const HEADER_EDITS = 100;

/** Why a guest changes nothing. */
const GUEST = 'You look at this character as a guest: pose it and comment on it; a painter changes it.';

/**
 * A character that is open: its weights, joints and values, who may write them, and their log. Everything else reads
 * them; only edits change them. It publishes events, and tells of each row that is written. It knows no stage.
 */
export class OpenDocument implements LogHost {
  readonly id: string;
  readonly name: string;
  readonly role: Role;
  /** What was found on arrival, in sentences. */
  readonly arrival: readonly string[];
  readonly bound: BoundCharacter;
  readonly memory: KernelMemory;
  readonly parts: readonly DocumentPart[];
  /** Memory to normalize many rows at a time, for parts of the usual stride. */
  readonly batch: RowBatch;
  readonly events = new Events<DocumentEvent>();
  readonly rowListeners = new Set<RowsWritten>();
  readonly writer: Writer;
  readonly log: DocumentLog;
  /** Uint8Array by joint, in the kernels' memory: 1 where a joint is locked. */
  readonly locks: Uint8Array;
  values: DocumentValues;
  settings: DocumentSettings;
  /** What has to become an edit before another one does: a pose that has not come to rest. */
  readonly unsettled = new Set<() => void>();
  readonly proposals = new Proposals(this);
  readonly saved: SavedItems;
  readonly moments: Moments;
  readonly following: Following;
  /** The version and the past of the place, as first heard. */
  place: PlaceEvent | undefined;
  /** The page is older than what the server now has: another version, or another past after a restore. */
  outdated: 'version' | 'restored' | undefined;
  /** Since when this is what the browser kept: the server could not be reached. */
  keptAt: number | undefined;
  /** Who else has the character open, and which joint they have in hand. */
  others: readonly PresentPerson[] = [];
  /** What the person should know now, in a sentence. */
  notice: Notice | undefined;
  /** Points where not all of an edit could be taken on top of others', with the rows that it had wanted. */
  leftOut: Edit['weights'] = [];
  /** What is on the stage and not in the log. */
  shown: Shown | undefined;
  /** By part, how many points its file has. */
  readonly #filePoints: readonly number[];
  /** Parts whose points were moved at rest by the change that is told of. */
  restMoved: readonly number[] = [];
  /** Whether the parts are laid out as the document says: not from a change of their meshes until it is opened anew. */
  isLaidOut = true;
  readonly #readers: OtherReaders;
  readonly #measures: BodyMeasures = new BodyMeasures(this);

  constructor(
    header: DocumentHeader,
    bound: BoundCharacter,
    memory: KernelMemory,
    parts: readonly DocumentPart[],
  ) {
    this.id = header.id;
    this.name = header.name;
    this.role = header.role;
    this.writer = new Writer(header.role === 'guest' ? GUEST : undefined);
    this.arrival = header.arrival;
    this.bound = bound;
    this.memory = memory;
    this.parts = parts;
    const { outlines, meshes } = readSettings(header.values);
    this.#filePoints = parts
      .filter(({ part }) => part.role !== 'cage')
      .map(({ rows, index }) => (outlines[index] ?? meshes[index])?.from ?? rows.pointCount);
    this.batch = createRowBatch(memory, DEFAULT_STRIDE);
    this.locks = memory.u8(bound.jointCapacity);
    this.values = header.values;
    this.settings = readSettings(header.values);
    this.#layLocks();
    this.saved = new SavedItems(this);
    this.moments = new Moments(this);
    this.following = new Following(this);
    this.log = new DocumentLog(this, header);
    this.#readers = new OtherReaders(this.id, {
      onHead: (head) => void this.log.follow(head).catch(this.notifyError),
      onPeople: (people) => {
        this.others = people.filter(({ page }) => page !== THIS_TAB);
        this.events.publish('others');
      },
      onComments: () => this.events.publish('comments'),
      onPlace: (place) => {
        this.place ??= place;
        // It is heard again: what comes is taken in on top of what was kept.
        this.keptAt = undefined;
        if (this.place.version !== place.version) this.outdated = 'version';
        if (this.place.epoch !== place.epoch) this.outdated = 'restored';
        this.events.publish('outdated');
      },
    });
  }

  /** What the server would begin this document with, were it opened now. */
  header(): DocumentHeader {
    const { done, undone, moreDone } = this.history;
    const refs = (stack: History['done']) => [...editsOf(stack)].slice(0, HEADER_EDITS);
    return {
      ...{ id: this.id, name: this.name, role: this.role, arrival: [...this.arrival] },
      head: this.log.queue.head,
      joints: this.bound.setups,
      values: this.values,
      done: refs(done),
      moreDone: moreDone || [...editsOf(done)].length > HEADER_EDITS,
      undone: refs(undone),
    };
  }

  close(): void {
    this.settle();
    this.log.close();
    this.following.close();
    this.proposals.close();
    this.#readers.close();
  }

  /** The character as it is now; its parts' points and polygons never change. */
  get character(): Character {
    return this.bound.character;
  }

  get skeleton(): Skeleton {
    return this.bound.skeleton;
  }

  /** Whether the one who looks may change it. */
  get mayChange(): boolean {
    return this.writer.closed === undefined;
  }

  get saveState(): SaveState {
    return this.log.queue.state;
  }

  get history(): History {
    return this.log.history;
  }

  /** Joints whose deforming is off: bindings give them no weight. */
  get nonDeforming(): ReadonlySet<number> {
    return this.settings.nonDeforming;
  }

  /** Left and right joints, as names and places tell and the person has corrected. */
  get pairs(): JointPairs {
    return this.#measures.pairs;
  }

  /** By joint, the side of the body that it belongs to. */
  get sides(): readonly Side[] {
    return this.#measures.sides;
  }

  /** Which way is up, as a person has said; undefined where nobody has. */
  get givenUp(): [number, number, number] | undefined {
    const { up } = this.settings;
    if (up === 'y') return undefined;
    const direction: [number, number, number] = [0, 0, 0];
    direction['xyz'.indexOf(up.slice(-1))] = up.startsWith('-') ? -1 : 1;
    return direction;
  }

  /** Which way is up in the scene: the format's own, unless a person has said otherwise. */
  get up(): [number, number, number] {
    return this.givenUp ?? [0, 1, 0];
  }

  /** The plane that divides the body into left and right. */
  get plane(): MiddlePlane {
    return this.#measures.plane;
  }

  /** How large the character is, in scene units: the longest side of the box around it. */
  get size(): number {
    return this.#measures.size;
  }

  // ---- reading ---------------------------------------------------------------------------------------------------

  /** The name that a joint has on the screen. */
  jointName(joint: number): string {
    return this.skeleton.joints[joint]?.name ?? 'no joint';
  }

  /** What the person calls a part. */
  partName(part: number): string {
    return this.settings.partNames[part] ?? this.parts[part].part.name;
  }

  /** Where a joint stands at rest, in the scene. */
  restPlace(joint: number): [number, number, number] {
    const [x, y, z] = restPlaces(this.skeleton).subarray(joint * 3);
    return [x, y, z];
  }

  /** A pose without joints that are not there any more. */
  knownJoints(pose: Pose): Pose {
    const { joints } = this.skeleton;
    return Object.fromEntries(
      Object.entries(pose).filter(([joint]) => joints[Number(joint)]?.removed === undefined),
    );
  }

  rowsOfPart(): WeightRows[] {
    return this.parts.map(({ rows }) => rows);
  }

  /** Copies of all parts' rows, to be sent to another thread. */
  copyRows(): WeightRows[] {
    return this.parts.map(({ rows }) => copyRows(rows));
  }

  // ---- editing ---------------------------------------------------------------------------------------------------

  /** Does an edit when it is its turn: named, kept and sent. @throws CoreError while something is only shown */
  async perform(label: string, some: Partial<Edit>, options?: CommitOptions): Promise<void> {
    this.writer.needOpen();
    this.settle();
    const edit = editOf(some);
    await this.writer.write(label, async () => {
      this.refuseShown();
      if (isEmptyEdit(edit)) return;
      await this.applyInTurns(edit);
      this.#commit(label, edit, options);
    });
  }

  /** Puts values at paths, as one edit at once; null or undefined takes one away. */
  setValues(
    label: string,
    wanted: Readonly<Record<string, Json | undefined>>,
    options?: CommitOptions,
  ): void {
    this.settle();
    const edit = editOf({ values: changeValues(this.values, wanted) });
    if (isEmptyEdit(edit)) return;
    if (this.writer.closed !== undefined) {
      this.notify(this.writer.closed);
      return;
    }
    this.apply(edit);
    this.#commit(label, edit, options);
  }

  /** Changes settings; the history says how they were and how they are. */
  changeSettings(wanted: Readonly<Record<string, Json | undefined>>): void {
    const first = changeValues(this.values, wanted).at(0);
    if (first)
      this.setValues(
        describeValue(first, (joint) => this.jointName(joint)),
        wanted,
      );
  }

  /** Takes into the log what was done to the document already, by a stroke or a drag that has its turn. */
  commit(label: string, some: Partial<Edit>): void {
    this.settle();
    const edit = editOf(some);
    if (!isEmptyEdit(edit)) this.#commit(label, edit);
  }

  #commit(label: string, edit: Edit, options?: CommitOptions): void {
    const all = this.parts.reduce((sum, { part }) => sum + part.pointCount, 0);
    this.log.commit(label, edit, { isLarge: countPoints(edit.weights) >= LARGE_SHARE * all, ...options });
  }

  /** @throws CoreError argument-invalid while something is only shown */
  refuseShown(): void {
    if (this.shown) throw new CoreError('argument-invalid', `Keep or drop “${this.shown.label}” first.`);
  }

  setShown(shown: Shown | undefined): void {
    this.shown = shown;
    this.events.publish('shown');
  }

  /** Whatever has not come to rest becomes an edit now; such work is done with itself before it makes its edit. */
  settle(): void {
    for (const work of this.unsettled) work();
  }

  undo(): Promise<void> {
    return this.#step(() => this.log.undo());
  }

  redo(): Promise<void> {
    return this.#step(() => this.log.redo());
  }

  async #step(step: () => Promise<void>): Promise<void> {
    this.settle();
    if (this.writer.closed === undefined) await step();
    else this.notify(this.writer.closed);
  }

  // ---- what the log does -----------------------------------------------------------------------------------------

  apply(edit: Edit): void {
    const weights = this.#onStage(edit.weights);
    const next = checkEdit(this.#state(), { ...edit, weights });
    this.bound.checkCapacity(next.skeleton);
    if (edit.joints.length > 0) this.#setJoints(next.skeleton);
    if (edit.values.length > 0) this.#putValues(next.values);
    if (weights.length === 0) return;
    apply(this.rowsOfPart(), weights);
    for (const { part, points } of weights) this.rowsWritten(part, points, points.length);
    this.events.publish('weights');
  }

  /** Whoever calls has the writer's turn: until it is done nothing else may change weights. */
  async applyInTurns(edit: Edit): Promise<void> {
    if (!isLarge(edit.weights) || edit.joints.length > 0) {
      this.apply(edit);
      return;
    }
    if (edit.values.length > 0) checkEdit(this.#state(), editOf({ values: edit.values }));
    await applySlices(this.rowsOfPart(), this.#onStage(edit.weights), (part, points, count) =>
      this.rowsWritten(part, points, count),
    );
    if (edit.values.length > 0) this.apply(editOf({ values: edit.values }));
    await nextTurn();
    this.events.publish('weights');
    await nextTurn();
  }

  /** Rows were written, by an edit or by a stroke that has its turn. */
  rowsWritten(part: number, points: Uint32Array, count: number): void {
    for (const listener of this.rowListeners) listener(part, points, count);
  }

  rebase(edit: Edit, numbers: JointNumbers): RebasedEdit {
    return rebaseEdit(this.#state(), edit, numbers);
  }

  async dropShown(): Promise<boolean> {
    if (!this.shown) return false;
    await this.shown.drop();
    return true;
  }

  withoutShown(): () => void {
    return this.shown?.takeOff() ?? (() => undefined);
  }

  /** Added to what was left out before and nobody has settled yet. */
  notTaken(changes: Edit['weights']): void {
    this.#setLeftOut(wantedRows([...this.leftOut, ...changes], []));
  }

  /** Leaves others' rows where one's own were left out. */
  leaveTheirs(): void {
    this.#setLeftOut([]);
  }

  #setLeftOut(changes: Edit['weights']): void {
    this.leftOut = changes;
    this.events.publish('notTaken');
  }

  /** Gives points the rows that an edit of one's own had wanted there, where others had come first. */
  async takeLeftOut(): Promise<void> {
    const weights = this.leftOut.flatMap(({ part, points, after }) => {
      const { rows } = this.parts[part];
      const builder = new DeltaBuilder(part, rows.stride, points.length);
      points.forEach((point, i) => builder.push(point, rows, point, after, i));
      const delta = builder.finish();
      return delta.points.length > 0 ? [delta] : [];
    });
    this.#setLeftOut([]);
    await this.perform('Take mine where others had come first', { weights });
  }

  historyChanged(): void {
    this.events.publish('history');
  }

  savingChanged(): void {
    if (this.log.queue.isIdle || this.log.queue.pending.length === 0) this.#readers.tell(this.log.queue.head);
    this.events.publish('saving');
  }

  refusedChanged(): void {
    this.events.publish('refused');
  }

  /** Tells the person what failed; bound, so that it can be handed to a promise. */
  readonly notifyError = (error: unknown): void => this.notify(messageOf(error), 'trouble');

  notify(sentence: string, kind: Notice['kind'] = 'news'): void {
    this.notice = { sentence, kind };
    this.events.publish('notice');
  }

  #state(): DocumentState {
    const { outlines, meshes, cages } = this.settings;
    const count = Math.max(this.#filePoints.length, ...Object.keys(cages).map((part) => Number(part) + 1));
    const rows = Array.from({ length: count }, (_, i) =>
      withPointCount(
        this.parts.at(i)?.rows ?? createRows(0, DEFAULT_STRIDE),
        (outlines[i] ?? meshes[i] ?? cages[i])?.points ?? this.#filePoints.at(i) ?? 0,
      ),
    );
    return { rows, skeleton: this.skeleton, values: this.values };
  }

  /** What of a change is about points that are laid out: those that are added now are there when the character is opened anew. */
  #onStage(change: Edit['weights']): Edit['weights'] {
    return change
      .map((delta) => cutDelta(delta, this.parts[delta.part]?.rows.pointCount ?? 0))
      .filter(({ points }) => points.length > 0);
  }

  #setJoints(skeleton: Skeleton): void {
    this.bound.bind(skeleton);
    this.#measures.forgetPairs();
    this.events.publish('joints');
  }

  #putValues(values: DocumentValues): void {
    const { pairs, skinnedParts } = this.settings;
    const { moved: _, ...laid } = shapesOf(this.values);
    this.values = values;
    this.settings = readSettings(values);
    const { moved, ...wanted } = shapesOf(values);
    // How parts hang together is laid out when a character is opened.
    if (!sameJson(laid as unknown as Json, wanted as unknown as Json)) {
      this.isLaidOut = false;
      this.events.publish('reshaped');
    }
    if (this.isLaidOut) this.#moveRest(moved);
    if (!sameJson([...skinnedParts], [...this.settings.skinnedParts])) {
      this.bound.setSkinnedParts(this.settings.skinnedParts);
      this.events.publish('joints');
    }
    if (!sameJson(pairs, this.settings.pairs)) this.#measures.forgetPairs();
    this.#layLocks();
    this.events.publish('values');
  }

  /** Points lie elsewhere at rest, and all that is measured by it. */
  #moveRest(moved: DocumentSettings['moved']): void {
    this.restMoved = this.bound.setMoved(moved);
    if (this.restMoved.length === 0) return;
    this.#measures.forgetAll();
    this.events.publish('rest');
    this.events.publish('joints');
  }

  #layLocks(): void {
    this.locks.fill(0);
    for (const joint of this.settings.locks) if (joint < this.locks.length) this.locks[joint] = 1;
  }
}
