import { decodeChange, laterEditsHeader, unpackFrame, type CharacterAnswer } from '@judoka/contract';
import {
  apply,
  buildPalette,
  CoreError,
  EMPTY_HISTORY,
  invert,
  islandOf,
  isEmpty,
  jointMass,
  markApart,
  poseWorld,
  rebase,
  record,
  REST_POSE,
  Stroke,
  tieToJoint,
  weightOf,
  type BrushSettings,
  type Change,
  type Character,
  type History,
  type HistoryEntry,
  type Kernels,
  type Pose,
  type Skeleton,
  type Finding,
  type StrokeReport,
  type WeightRows,
} from '@judoka/core';
import { HttpError, request, requestBytes } from '../api/http.ts';
import { BendStrip } from './bendStrip.ts';
import { CheckWatch } from './checkWatch.ts';
import { asDone, Outbox, type SaveState } from './outbox.ts';
import { dropEdits, findLeftEdits, whenTabGone } from './outboxStore.ts';
import type { Proposal } from './proposal.ts';
import type { SessionPart } from './sessionPart.ts';
import { StrayWatch } from './strayWatch.ts';
import { Topics } from './topics.ts';

export type Topic =
  | 'pose'
  | 'weights'
  | 'joint'
  | 'history'
  | 'saving'
  | 'parts'
  | 'locks'
  | 'notice'
  | 'strays'
  | 'findings'
  | 'marks'
  | 'proposal';

/** Points of one part that changed; the first `count` of `points`. */
export type PointsChanged = (part: SessionPart, points: Uint32Array, count: number) => void;

/** What is pointed out on the stage: points by part, and joints. */
export interface Marks {
  readonly points: ReadonlyMap<number, Uint32Array>;
  readonly joints: readonly number[];
  /** What the marks show; the finding that they belong to. */
  readonly of?: Finding;
}

export const NO_MARKS: Marks = { points: new Map(), joints: [] };

/** Deltas held for undo; older ones are fetched again. */
const MOST_HELD_DELTAS = 200;
const SAVE_POSE_MS = 600;

/**
 * A character being worked on. Owns its arrays; everything else reads them. Only this class writes weights (through
 * core's operations), poses the skeleton and decides what is drawn; it tells topics, and `onPoints` for each dab.
 */
export class CharacterSession {
  readonly id: string;
  readonly name: string;
  /** What was found on arrival, in sentences. */
  readonly arrival: readonly string[];
  readonly character: Character;
  readonly skeleton: Skeleton;
  readonly kernels: Kernels;
  readonly parts: readonly SessionPart[];
  readonly topics = new Topics<Topic>();
  readonly outbox: Outbox;
  readonly strip: BendStrip;
  readonly strays: StrayWatch;
  readonly check: CheckWatch;
  readonly locks: Uint8Array;
  /** Joints whose deforming is off: bindings give them no weight. */
  readonly still: Set<number>;
  /** World matrices of the pose on the stage: Float32Array, 16·jointCount. */
  readonly world: Float32Array;
  readonly pointListeners = new Set<PointsChanged>();

  /** Chosen joint; -1 for none. */
  joint = -1;
  pose: Pose;
  /** True while the rest pose is shown instead of the pose. */
  showsRest = false;
  /** What the person should know now, in a sentence. */
  notice = '';
  history: History;
  marks: Marks = NO_MARKS;
  proposal: Proposal | undefined;

  readonly #deltas = new Map<string, Change>();
  /** Edits that the server had when the character was opened. */
  readonly #onServer: ReadonlySet<string>;
  #stroke: { stroke: Stroke; part: SessionPart; settings: BrushSettings } | undefined;
  #working: Promise<unknown> = Promise.resolve();
  readonly #closing = new AbortController();
  readonly #watched = new Set<string>();
  #poseTimer: ReturnType<typeof setTimeout> | undefined;

  constructor(
    answer: CharacterAnswer,
    character: Character,
    kernels: Kernels,
    parts: readonly SessionPart[],
  ) {
    this.id = answer.id;
    this.name = answer.name;
    this.arrival = answer.arrival;
    this.character = character;
    this.skeleton = character.skeleton;
    this.kernels = kernels;
    this.parts = parts;
    const jointCount = this.skeleton.joints.length;
    this.locks = kernels.u8(Math.max(1, jointCount));
    for (const joint of answer.locks) if (joint < jointCount) this.locks[joint] = 1;
    this.still = new Set(answer.still.filter((joint) => joint < jointCount));
    this.world = new Float32Array(jointCount * 16);
    this.pose = Object.fromEntries(
      Object.entries(answer.pose).filter(([joint]) => Number(joint) < jointCount),
    );
    this.history = answer.history.reduce(
      (history, entry) => record(history, entry as HistoryEntry),
      EMPTY_HISTORY,
    );
    this.#onServer = new Set(answer.history.map(({ id }) => id));
    this.outbox = new Outbox(
      this.id,
      answer.head,
      () => this.topics.tell('saving'),
      () => this.catchUp(),
    );
    this.strip = new BendStrip(this);
    this.strays = new StrayWatch(parts, jointCount, () => this.topics.tell('strays'));
    this.check = new CheckWatch(
      { character, copyRows: () => this.copyRows(), still: this.still, locks: this.locks },
      () => this.topics.tell('findings'),
    );
    this.topics.subscribe('weights', () => {
      this.strays.weightsChanged();
      this.check.changed();
    });
    this.#reskin();
  }

  close(): void {
    clearTimeout(this.#poseTimer);
    this.#closing.abort();
    this.outbox.close();
    this.strays.close();
    this.check.close();
  }

  get saveState(): SaveState {
    return this.outbox.state;
  }

  // ---- what is shown -------------------------------------------------------------------------------------------

  chooseJoint(joint: number): void {
    if (joint === this.joint) return;
    this.joint = joint;
    for (const part of this.parts) this.#readColumn(part);
    this.strip.rebuild();
    this.topics.tell('joint');
  }

  setVisible(part: number, visible: boolean): void {
    this.parts[part].visible = visible;
    this.#partsChanged();
  }

  /** Shows one part alone; a second time, all of them. */
  isolate(part: number): void {
    const alone = this.parts.every(({ visible, index }) => visible === (index === part));
    for (const each of this.parts) each.visible = alone || each.index === part;
    this.#partsChanged();
  }

  #partsChanged(): void {
    this.#reskin();
    this.strip.rebuild();
    this.topics.tell('parts');
  }

  setLocked(joint: number, locked: boolean): void {
    this.locks[joint] = locked ? 1 : 0;
    this.topics.tell('locks');
    this.#put('locks', { joints: [...this.locks.keys()].filter((j) => this.locks[j]) });
  }

  /** Whether a joint may get weight from a binding. */
  setDeforms(joint: number, deforms: boolean): void {
    if (deforms) this.still.delete(joint);
    else this.still.add(joint);
    this.topics.tell('locks');
    this.check.changed(0);
    this.#put('still', { joints: [...this.still] });
  }

  /** Points things out on the stage, or nothing any more. */
  setMarks(marks: Marks): void {
    this.marks = marks;
    this.topics.tell('marks');
  }

  /** Copies of all parts' rows, to be sent to another thread. */
  copyRows(): WeightRows[] {
    return this.parts.map(({ skin: { rows } }) => ({
      ...rows,
      joints: rows.joints.slice(),
      values: rows.values.slice(),
    }));
  }

  setPose(pose: Pose): void {
    this.pose = pose;
    this.#reskin();
    clearTimeout(this.#poseTimer);
    this.#poseTimer = setTimeout(() => this.#put('pose', { joints: this.pose }), SAVE_POSE_MS);
  }

  setShowsRest(shows: boolean): void {
    if (this.showsRest === shows) return;
    this.showsRest = shows;
    this.#reskin();
  }

  /** How much of the surface follows each joint, in points. */
  masses(): Float64Array {
    const masses = new Float64Array(this.skeleton.joints.length);
    for (const { skin, part } of this.parts)
      if (part.role === 'skinned') jointMass(skin.rows, masses.length, masses);
    return masses;
  }

  tellPerson(sentence: string): void {
    this.notice = sentence;
    this.topics.tell('notice');
  }

  #put(what: 'pose' | 'locks' | 'still', body: unknown): void {
    request(`/api/characters/${this.id}/${what}`, {
      method: 'PUT',
      headers: { 'Content-Type': 'application/json' },
      body: JSON.stringify(body),
    }).catch((error: Error) => this.tellPerson(`The ${what} could not be saved. ${error.message}`));
  }

  #reskin(): void {
    poseWorld(this.skeleton, this.showsRest ? REST_POSE : this.pose, this.world);
    for (const { part, skin, visible } of this.parts) {
      buildPalette(this.world, part.inverseBinds, skin.palette);
      if (visible) this.kernels.skinRange(skin, 0, part.pointCount);
    }
    this.topics.tell('pose');
  }

  #readColumn(part: SessionPart): void {
    if (this.joint < 0) part.column.fill(0);
    else this.kernels.readColumn(part.skin.rows, this.joint, part.column);
    markApart(part.paint.neighbours, part.column, part.apart);
  }

  // ---- painting ------------------------------------------------------------------------------------------------

  /** @throws CoreError joint-locked */
  beginStroke(part: SessionPart, settings: BrushSettings): void {
    this.#refuseDuringProposal();
    const stroke = new Stroke(part.index, part.skin.rows, part.paint, settings, this.locks);
    this.#stroke = { stroke, part, settings };
  }

  get strokePart(): SessionPart | undefined {
    return this.#stroke?.part;
  }

  /** A dab on the first `count` points of the stroke's part; rows, surface and bend strip follow at once. */
  dab(count: number, pressure: number): void {
    if (!this.#stroke || count === 0) return;
    const { stroke, part } = this.#stroke;
    stroke.dab(count, pressure);
    this.#pointsChanged(part, part.paint.points, count);
  }

  /** Ends the stroke: one edit, named, kept and sent. */
  endStroke(label: string): StrokeReport | undefined {
    if (!this.#stroke) return undefined;
    const { stroke, part } = this.#stroke;
    this.#stroke = undefined;
    const { delta, report } = stroke.finish();
    markApart(part.paint.neighbours, part.column, part.apart);
    this.topics.tell('weights');
    if (delta.points.length > 0) this.#commit('edit', label, [delta]);
    return report;
  }

  #commit(kind: HistoryEntry['kind'], label: string, change: Change, target?: string): void {
    const id = crypto.randomUUID();
    this.history = record(this.history, { id, kind, label, target });
    if (kind === 'edit') this.#hold(id, change);
    this.outbox.push({ id, kind, label, target, change });
    this.topics.tell('history');
  }

  #hold(id: string, change: Change): void {
    this.#deltas.set(id, change);
    if (this.#deltas.size > MOST_HELD_DELTAS) this.#deltas.delete([...this.#deltas.keys()][0]);
  }

  #pointsChanged(part: SessionPart, points: Uint32Array, count: number): void {
    const list = points.buffer === part.paint.points.buffer ? points : part.paint.points;
    if (list !== points) list.set(points.subarray(0, count));
    this.kernels.skinList(part.skin, { points: list, count });
    if (this.joint >= 0) {
      for (let i = 0; i < count; i++) part.column[list[i]] = weightOf(part.skin.rows, list[i], this.joint);
    }
    this.strip.follow(part, list, count);
    for (const listener of this.pointListeners) listener(part, list, count);
  }

  /** Applies a change made elsewhere than under the brush, and shows it. */
  #applyChange(change: Change): void {
    apply(
      this.parts.map(({ skin }) => skin.rows),
      change,
    );
    for (const { part, points } of change) {
      this.#pointsChanged(this.parts[part], points, points.length);
      this.#readColumn(this.parts[part]);
    }
    this.topics.tell('weights');
  }

  // ---- operations ----------------------------------------------------------------------------------------------

  /** Does an operation's change: one edit, named, kept and sent. */
  async perform(label: string, change: Change): Promise<void> {
    await this.#strokeEnded();
    this.#refuseDuringProposal();
    if (isEmpty(change)) return;
    this.#applyChange(change);
    this.#commit('edit', label, change);
  }

  /** Gives the whole island about a point to the chosen joint. @returns how many points changed */
  async tieIsland({ index, part, skin, paint }: SessionPart, point: number): Promise<number> {
    if (this.joint < 0) throw new CoreError('argument-invalid', 'Choose a joint first.');
    if (part.role === 'fixed')
      throw new CoreError('argument-invalid', `“${part.name}” has no weights of its own.`);
    const points = islandOf(paint.neighbours, point);
    const delta = tieToJoint(index, skin.rows, points, this.joint, this.locks);
    await this.perform(`Tie a piece of ${part.name} to ${this.jointName(this.joint)}`, [delta]);
    return delta.points.length;
  }

  /** Shows a change before it is kept. Nothing else may change weights meanwhile. */
  async propose(label: string, change: Change): Promise<void> {
    await this.#strokeEnded();
    this.dropProposal();
    if (isEmpty(change)) return;
    this.#applyChange(change);
    this.proposal = { label, change, shown: true };
    this.topics.tell('proposal');
  }

  /** Looks at the new weights, or at the old ones again. */
  showProposal(shown: boolean): void {
    if (!this.proposal || this.proposal.shown === shown) return;
    const { change } = this.proposal;
    this.#applyChange(shown ? change : invert(change));
    this.proposal = { ...this.proposal, shown };
    this.topics.tell('proposal');
  }

  keepProposal(): void {
    if (!this.proposal) return;
    this.showProposal(true);
    const { label, change } = this.proposal;
    this.proposal = undefined;
    this.#commit('edit', label, change);
    this.topics.tell('proposal');
  }

  dropProposal(): void {
    if (!this.proposal) return;
    this.showProposal(false);
    this.proposal = undefined;
    this.topics.tell('proposal');
  }

  #refuseDuringProposal(): void {
    if (!this.proposal) return;
    throw new CoreError('argument-invalid', `Keep or drop “${this.proposal.label}” first.`);
  }

  // ---- history -------------------------------------------------------------------------------------------------

  undo(): Promise<void> {
    return this.#inTurn(() => this.#step('undo'));
  }

  redo(): Promise<void> {
    return this.#inTurn(() => this.#step('redo'));
  }

  async #step(kind: 'undo' | 'redo'): Promise<void> {
    const list = kind === 'undo' ? this.history.done : this.history.undone;
    const target = list[list.length - 1];
    if (!target || this.#stroke) return;
    // What is only shown is not in the history: to undo it is to drop it.
    if (this.proposal) {
      this.dropProposal();
      return;
    }
    try {
      const change = asDone(kind, await this.#deltaOf(target.id));
      await this.#strokeEnded();
      const after = kind === 'undo' ? this.history.done : this.history.undone;
      // A stroke or a clash came in between: it is another edit's turn now.
      if (after[after.length - 1]?.id !== target.id) return;
      this.#applyChange(change);
      this.#commit(kind, target.label, change, target.id);
    } catch (error) {
      this.tellPerson(
        `“${target.label}” cannot be ${kind === 'undo' ? 'undone' : 'redone'} now. ${messageOf(error)}`,
      );
    }
  }

  async #deltaOf(edit: string): Promise<Change> {
    const held = this.#deltas.get(edit);
    if (held) return held;
    const change = decodeChange(await requestBytes(`/api/characters/${this.id}/edits/${edit}/delta`));
    this.#hold(edit, change);
    return change;
  }

  #inTurn(work: () => Promise<void>): Promise<void> {
    const next = this.#working.then(work);
    this.#working = next.catch(() => undefined);
    return next;
  }

  /**
   * Strokes that a closed or crashed tab left in this browser are put on top of what the server has, and sent. Where
   * such a tab still lives, or is only just going, it is left to send them; once it is gone, what remains is taken over.
   */
  async adoptUnsent(): Promise<void> {
    const { free, tabs } = await findLeftEdits(
      this.id,
      new Set(this.outbox.pending.map(({ id }) => id)),
    ).catch(() => ({ free: [], tabs: [] }));
    for (const tab of tabs) {
      if (this.#watched.has(tab)) continue;
      this.#watched.add(tab);
      whenTabGone(tab, this.#closing.signal).then(
        () => this.#inTurn(() => this.#adoptLater()),
        () => undefined,
      );
    }
    const known = this.#onServer;
    const stale = free.map(({ order }) => order);
    let count = 0;
    for (const edit of free.filter(({ id }) => !known.has(id))) {
      const { change } = rebase(
        this.parts.map(({ skin }) => skin.rows),
        decodeChange(edit.change),
      );
      if (isEmpty(change)) continue;
      this.#applyChange(change);
      this.#commit('edit', edit.kind === 'edit' ? edit.label : `${edit.kind} ${edit.label}`, change);
      count++;
    }
    await Promise.all(this.outbox.pending.map(({ kept: stored }) => stored));
    if (stale.length > 0) await dropEdits(stale);
    if (count > 0) {
      const strokes = count === 1 ? '1 stroke' : `${count} strokes`;
      this.tellPerson(
        `${strokes} from before ${count === 1 ? 'was' : 'were'} still here and ${count === 1 ? 'is' : 'are'} sent now.`,
      );
    }
  }

  /** Rows must not change under a stroke: its delta remembers how they were. */
  async #strokeEnded(): Promise<void> {
    while (this.#stroke) await new Promise((resolve) => setTimeout(resolve, 30));
  }

  /** The same, when a tab has gone while this one was open: not under a stroke, and after catching up. */
  async #adoptLater(): Promise<void> {
    await this.#strokeEnded();
    await this.adoptUnsent();
  }

  async #fetchLater(after: number) {
    const frame = unpackFrame(await requestBytes(`/api/characters/${this.id}/edits?after=${after}`));
    const header = laterEditsHeader.parse(frame.header);
    return { ...header, changes: frame.blobs.map((blob) => decodeChange(blob)) };
  }

  /** The character was changed elsewhere: takes those edits in and puts the unsent ones on top of them. */
  async catchUp(): Promise<void> {
    const later = await this.#fetchLater(this.outbox.head);
    await this.#strokeEnded();
    this.dropProposal();
    const mine = [...this.outbox.pending];
    for (const { change } of [...mine].reverse()) this.#applyChange(invert(change));
    const ours = new Set(mine.map(({ id }) => id));
    let history = this.#historyBefore(mine.length);
    later.entries.forEach((entry, i) => {
      this.#applyChange(asDone(entry.kind, later.changes[i]));
      history = record(history, entry as HistoryEntry);
      if (entry.kind === 'edit') this.#hold(entry.id, later.changes[i]);
      ours.delete(entry.id);
    });
    let shared = 0;
    const again = mine
      .filter(({ id }) => ours.has(id))
      .flatMap((edit) => {
        const { change, overlapping } = rebase(
          this.parts.map(({ skin }) => skin.rows),
          edit.change,
        );
        shared += overlapping;
        if (isEmpty(change)) return [];
        this.#applyChange(change);
        const label =
          edit.kind === 'edit' ? edit.label : `${edit.kind === 'undo' ? 'Undo' : 'Redo'} ${edit.label}`;
        history = record(history, { id: edit.id, kind: 'edit', label });
        this.#hold(edit.id, change);
        return [{ id: edit.id, kind: 'edit' as const, label, change }];
      });
    this.history = history;
    await this.outbox.replace(later.head, again);
    this.topics.tell('history');
    if (later.entries.length > 0) this.tellPerson(clashSentence(later.entries.length, again.length, shared));
  }

  /** The history without its last `count` entries, which are not on the server. */
  #historyBefore(count: number): History {
    let { done, undone } = this.history;
    for (const { kind, id } of [...this.outbox.pending].reverse().slice(0, count)) {
      if (kind === 'edit') done = done.filter((entry) => entry.id !== id);
      else if (kind === 'undo') [done, undone] = [[...done, undone[undone.length - 1]], undone.slice(0, -1)];
      else [done, undone] = [done.slice(0, -1), [...undone, done[done.length - 1]]];
    }
    return { done, undone };
  }

  /** The name that a joint has on the screen. */
  jointName(joint: number): string {
    return this.skeleton.joints[joint]?.name ?? 'no joint';
  }
}

function clashSentence(theirs: number, mine: number, shared: number): string {
  const changes = theirs === 1 ? '1 change was' : `${theirs} changes were`;
  const put = mine > 0 ? ` Yours ${mine === 1 ? 'was put' : 'were put'} on top.` : '';
  const overlap =
    shared > 0 ? ` ${shared.toLocaleString('en')} points had been changed there too; undo shows them.` : '';
  return `${changes} made in another tab or by someone else, and taken in here.${put}${overlap}`;
}

function messageOf(error: unknown): string {
  return error instanceof HttpError || error instanceof Error ? error.message : String(error);
}
