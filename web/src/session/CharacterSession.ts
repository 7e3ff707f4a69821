import type { CharacterAnswer, CharacterSettings } from '@judoka/contract';
import {
  applySkeletonChange,
  type JointPairs,
  pairJoints,
  type Pose,
  REST_POSE,
  restPlaces,
  sameSetup,
  setupOf,
  type Skeleton,
  type SkeletonChange,
} from '@judoka/core/skeleton';
import {
  type Change,
  createRowBatch,
  DEFAULT_STRIDE,
  type Influence,
  isEmpty,
  rebase,
  type RowBatch,
  type WeightRows,
} from '@judoka/core/weights';
import { CoreError } from '@judoka/core/errors';
import type { BrushSettings } from '@judoka/core/operations/paint';
import type { Character, Finding, History } from '@judoka/core/document';
import type { KernelMemory } from '@judoka/core/memory';
import { request } from '../api/http.ts';
import { BendStrip } from './bendStrip.ts';
import { CheckWatch } from './checkWatch.ts';
import { isEmptyContent, NO_JOINTS, type EditContent } from './editContent.ts';
import { EditLog, type LogHost } from './EditLog.ts';
import { largestExtent } from './extent.ts';
import { Kept } from './kept.ts';
import { Mirroring } from './mirroring.ts';
import type { SaveState } from './outbox.ts';
import { Placing } from './placing.ts';
import { Proposals } from './proposal.ts';
import type { Rig } from './rig.ts';
import { Reaching } from './reaching.ts';
import { Selection } from './selection.ts';
import type { SessionPart } from './sessionPart.ts';
import { Showing } from './showing.ts';
import { StrokeRun, type RunReport } from './StrokeRun.ts';
import { StrayWatch } from './strayWatch.ts';
import { Walking } from './walking.ts';
import { ClipPlayer } from './clipPlayer.ts';
import { fillSkinning, skinAll } from './skinning.ts';
import { WeightWriter } from './weightWriter.ts';
import { Trial } from './trial.ts';
import { Topics } from './topics.ts';
import { isLarge } from './turns.ts';

export type Topic =
  | 'pose'
  | 'weights'
  | 'joint'
  | 'skeleton'
  | 'selection'
  | 'settings'
  | 'kept'
  | 'reach'
  | 'mirror'
  | 'history'
  | 'saving'
  | 'parts'
  | 'locks'
  | 'notice'
  | 'strays'
  | 'findings'
  | 'marks'
  | 'clipboard'
  | 'trial'
  | 'clip'
  | 'time'
  | 'proposal';

/** Points of one part that changed; the first `count` of `points`. */
export type PointsChanged = (part: SessionPart, points: Uint32Array, count: number) => void;

/** What is pointed out on the stage: points by part, and joints. */
export interface Marks {
  readonly points: ReadonlyMap<number, Uint32Array>;
  readonly joints: readonly number[];
  /** What the marks show; the finding that they belong to. */
  readonly of?: Finding;
  /** Whether the camera stays where it is. */
  readonly still?: boolean;
}

export const NO_MARKS: Marks = { points: new Map(), joints: [] };

const SAVE_POSE_MS = 600;
/** How far off the mirrored place a partner may stand, as a share of the skeleton's size. */
const PAIR_TOLERANCE = 0.012;

/**
 * A character being worked on. Owns its arrays; everything else reads them. Only this class writes weights (through
 * core's operations), poses the skeleton and decides what is drawn; it tells topics, and `onPoints` for each dab.
 */
export class CharacterSession implements LogHost {
  readonly id: string;
  readonly name: string;
  /** What was found on arrival, in sentences. */
  readonly arrival: readonly string[];
  readonly rig: Rig;
  readonly memory: KernelMemory;
  readonly parts: readonly SessionPart[];
  /** Memory to normalize many rows at a time, for parts of the usual stride. */
  readonly batch: RowBatch;
  readonly topics = new Topics<Topic>();
  readonly log: EditLog;
  readonly strip: BendStrip;
  readonly strays: StrayWatch;
  readonly check: CheckWatch;
  readonly selection: Selection;
  readonly placing: Placing;
  readonly kept: Kept;
  readonly reaching: Reaching;
  readonly mirroring: Mirroring;
  readonly walking: Walking;
  readonly trial: Trial;
  readonly clips: ClipPlayer;
  readonly proposals = new Proposals(this);
  readonly showing: Showing;
  readonly locks: Uint8Array;
  /** Joints whose deforming is off: bindings give them no weight. */
  readonly still: Set<number>;
  /** World matrices of the pose on the stage: Float32Array, 16 a joint that there is room for. */
  readonly world: Float32Array;
  readonly pointListeners = new Set<PointsChanged>();

  /** Chosen joint; -1 for none. */
  joint = -1;
  /** Joints chosen beside it, for what acts on several. */
  readonly alsoChosen = new Set<number>();
  pose: Pose;
  /** True while the rest pose is shown instead of the pose. */
  showsRest = false;
  /** What the person should know now, in a sentence. */
  notice = '';
  marks: Marks = NO_MARKS;
  /** Weights of a point, or the mean of several, that were copied. */
  heldRow: readonly Influence[] = [];
  /** Corrected pairs, names of parts and the like. */
  settings: CharacterSettings;

  readonly #writer: WeightWriter;
  #stroke: StrokeRun | undefined;
  #poseTimer: ReturnType<typeof setTimeout> | undefined;
  #pairs: JointPairs | undefined;

  constructor(answer: CharacterAnswer, rig: Rig, memory: KernelMemory, parts: readonly SessionPart[]) {
    this.id = answer.id;
    this.name = answer.name;
    this.arrival = answer.arrival;
    this.rig = rig;
    this.memory = memory;
    this.parts = parts;
    this.#writer = new WeightWriter(this);
    this.walking = new Walking(this);
    this.batch = createRowBatch(memory, DEFAULT_STRIDE);
    const { room } = rig;
    this.locks = memory.u8(room);
    for (const joint of answer.locks) if (joint < room) this.locks[joint] = 1;
    this.still = new Set(answer.still.filter((joint) => joint < room));
    this.world = new Float32Array(room * 16);
    this.pose = Object.fromEntries(Object.entries(answer.pose).filter(([joint]) => Number(joint) < room));
    this.log = new EditLog(this, answer);
    this.strip = new BendStrip(this);
    this.selection = new Selection(parts, () => this.topics.tell('selection'));
    this.placing = new Placing(this);
    this.reaching = new Reaching(this);
    this.mirroring = new Mirroring(this);
    this.kept = new Kept(this.id, () => this.topics.tell('kept'));
    this.kept.load().catch((error: Error) => this.tellPerson(error.message));
    this.settings = answer.settings;
    this.showing = new Showing(this);
    this.strays = new StrayWatch(parts, room, () => this.topics.tell('strays'));
    this.check = new CheckWatch(
      { rig, rowsOfPart: () => this.rowsOfPart(), still: this.still, locks: this.locks },
      () => this.topics.tell('findings'),
    );
    this.trial = new Trial(this);
    this.clips = new ClipPlayer(this);
    this.topics.subscribe('weights', () => {
      this.strays.weightsChanged();
      this.trial.weightsChanged();
      this.check.changed();
    });
    this.#reskin();
  }

  close(): void {
    clearTimeout(this.#poseTimer);
    this.log.close();
    this.strays.close();
    this.mirroring.close();
    this.check.close();
    this.trial.close();
    this.clips.close();
  }

  get saveState(): SaveState {
    return this.log.outbox.state;
  }

  get history(): History {
    return this.log.history;
  }

  /** The character as it is now; its parts' points and polygons never change. */
  get character(): Character {
    return this.rig.character;
  }

  get skeleton(): Skeleton {
    return this.rig.skeleton;
  }

  // ---- what is shown -------------------------------------------------------------------------------------------

  chooseJoint(joint: number): void {
    if (this.alsoChosen.size > 0) {
      this.alsoChosen.clear();
      this.topics.tell('joint');
    }
    if (joint === this.joint) return;
    this.joint = joint;
    for (const part of this.parts) this.#writer.readColumn(part);
    this.strip.rebuild();
    this.topics.tell('joint');
  }

  /** Takes a joint to the chosen ones, or out of them; the one that is worked on stays. */
  toggleChosen(joint: number): void {
    if (this.joint < 0) return this.chooseJoint(joint);
    if (joint !== this.joint && !this.alsoChosen.delete(joint)) this.alsoChosen.add(joint);
    this.topics.tell('joint');
  }

  /** All chosen joints, rising. */
  chosenJoints(): number[] {
    return [...new Set([this.joint, ...this.alsoChosen])].filter((joint) => joint >= 0).sort((a, b) => a - b);
  }

  /** What is drawn of parts has changed. */
  partsChanged(): void {
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

  /** Holds weights to be pasted. */
  holdRow(row: readonly Influence[]): void {
    this.heldRow = row;
    this.topics.tell('clipboard');
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

  /** Changes some of the settings, and keeps them. */
  setSettings(change: Partial<CharacterSettings>): void {
    const { skinning } = this.settings;
    this.settings = { ...this.settings, ...change };
    this.#pairs = undefined;
    if (this.settings.skinning !== skinning) {
      this.#reskin();
      this.strip.rebuild();
    }
    this.topics.tell('settings');
    this.#put('settings', this.settings);
  }

  /** Left and right joints, as names and places tell and the person has corrected. */
  get pairs(): JointPairs {
    if (this.#pairs) return this.#pairs;
    const places = restPlaces(this.skeleton);
    const size = largestExtent([places]) || 1;
    this.#pairs = pairJoints(this.skeleton, places, PAIR_TOLERANCE * size, this.settings.pairs);
    return this.#pairs;
  }

  /** The longest side of the box around the character at rest. */
  extent(): number {
    return largestExtent(this.parts.map(({ skin }) => skin.rest));
  }

  /** A pose without joints that are not there any more. */
  knownJoints(pose: Pose): Pose {
    const { joints } = this.skeleton;
    return Object.fromEntries(
      Object.entries(pose).filter(([joint]) => joints[Number(joint)]?.removed === undefined),
    );
  }

  /** Where a joint stands at rest, in the scene. */
  restPlace(joint: number): [number, number, number] {
    const [x, y, z] = restPlaces(this.skeleton).subarray(joint * 3);
    return [x, y, z];
  }

  /** Takes a pose for a moment, as a clip does that plays: it is not kept. */
  showPose(pose: Pose): void {
    this.pose = pose;
    this.#reskin();
  }

  setPose(pose: Pose): void {
    this.showPose(pose);
    clearTimeout(this.#poseTimer);
    this.#poseTimer = setTimeout(() => this.#put('pose', { joints: this.pose }), SAVE_POSE_MS);
  }

  setShowsRest(shows: boolean): void {
    if (this.showsRest === shows) return;
    this.showsRest = shows;
    this.#reskin();
  }

  tellPerson(sentence: string): void {
    this.notice = sentence;
    this.topics.tell('notice');
  }

  #put(what: 'pose' | 'locks' | 'still' | 'settings', body: unknown): void {
    request(`/api/characters/${this.id}/${what}`, {
      method: 'PUT',
      headers: { 'Content-Type': 'application/json' },
      body: JSON.stringify(body),
    }).catch((error: Error) => this.tellPerson(`The ${what} could not be saved. ${error.message}`));
  }

  #reskin(): void {
    this.rig.pose(this.showsRest ? REST_POSE : this.pose, this.world);
    for (const { index, skin, visible } of this.parts) {
      this.rig.palette(index, this.world, skin.palette);
      fillSkinning(this, this.parts[index]);
      if (visible) skinAll(this, this.parts[index]);
    }
    this.topics.tell('pose');
  }

  // ---- painting ------------------------------------------------------------------------------------------------

  /**
   * @param meet whether smoothing brings points together that touch
   * @throws CoreError if the brush's joint is locked, or the mirror cannot be followed
   */
  beginStroke(settings: BrushSettings, meet = false): StrokeRun {
    this.proposals.refuse();
    if (this.#writer.busy)
      throw new CoreError(
        'argument-invalid',
        'A change of many points is being written. It is done in a moment.',
      );
    this.#stroke = new StrokeRun(this, settings, meet);
    return this.#stroke;
  }

  /** Ends the stroke: one edit, named, kept and sent. */
  endStroke(label: string): RunReport | undefined {
    if (!this.#stroke) return undefined;
    const { change, report } = this.#stroke.finish();
    this.#stroke = undefined;
    this.topics.tell('weights');
    if (change.length > 0) this.log.commit('edit', label, { change, joints: NO_JOINTS });
    // What kept its weight is pointed out, without moving the camera.
    if (report.refused.size > 0) this.setMarks({ points: report.refused, joints: [], still: true });
    else if (this.marks.still) this.setMarks(NO_MARKS);
    return report;
  }

  /** Rows that an operation under way has written already: surface and bend strip follow. */
  pointsWritten(part: number, points: Uint32Array, count: number): void {
    this.#writer.follow(this.parts[part], points, count);
  }

  /** How far a change would move the surface in the pose on the stage, at most, in scene units; nothing is changed. */
  movementOf(change: Change): number {
    return this.#writer.movementOf(change);
  }

  /** What the person calls a part. */
  partName(part: number): string {
    return this.settings.parts[part]?.name ?? this.parts[part].part.name;
  }

  // ---- operations ----------------------------------------------------------------------------------------------

  /** Does an operation's change, to weights and perhaps to joints: one edit, named, kept and sent. */
  async perform(label: string, change: Change, joints: SkeletonChange = NO_JOINTS): Promise<void> {
    await this.strokeEnded();
    this.proposals.refuse();
    const content = { change, joints };
    if (isEmptyContent(content)) return;
    await this.applyInTurns(content);
    this.log.commit('edit', label, content);
  }

  /**
   * Does what a content says. With very many points the page gets its turn in between, and nothing else may change
   * weights meanwhile.
   */
  async applyInTurns(content: EditContent): Promise<void> {
    const { change, joints } = content;
    if (!isLarge(change) || joints.length > 0) return this.applyContent(content);
    await this.#writer.writeInTurns(change);
  }

  applyContent({ change, joints }: EditContent): void {
    if (joints.length > 0) this.#applyJoints(joints);
    if (!isEmpty(change)) this.#writer.write(change);
  }

  /** Joints as they would stand, shown but not kept; the opposite change takes it back. */
  showJoints(joints: SkeletonChange): void {
    if (joints.length > 0) this.#applyJoints(joints);
  }

  /** Takes into the log what is shown of joints already. */
  commitJoints(label: string, joints: SkeletonChange): void {
    this.log.commit('edit', label, { change: [], joints });
  }

  #applyJoints(joints: SkeletonChange): void {
    this.rig.apply(joints);
    this.#pairs = undefined;
    if (this.joint >= 0 && this.skeleton.joints[this.joint]?.removed) this.chooseJoint(-1);
    this.#reskin();
    this.strip.rebuild();
    this.check.skeletonChanged();
    this.topics.tell('skeleton');
  }

  rebaseContent({ change, joints }: EditContent): { content: EditContent; overlapping: number } {
    const rebased = rebase(this.rowsOfPart(), change);
    const lines = joints.map(({ joint, after }) => {
      const held = this.skeleton.joints[joint];
      return { joint, before: held && !held.removed ? setupOf(held) : null, after };
    });
    const kept = lines.filter(({ before, after }) => !sameSetup(before, after));
    try {
      applySkeletonChange(this.skeleton, kept);
    } catch (error) {
      // Others left no joint for this to hang on; the weights are still worth keeping.
      if (!(error instanceof CoreError)) throw error;
      kept.length = 0;
    }
    return { content: { change: rebased.change, joints: kept }, overlapping: rebased.overlapping };
  }

  rowsOfPart(): WeightRows[] {
    return this.parts.map(({ skin }) => skin.rows);
  }

  /** @returns whether something was only shown */
  dropProposal(): Promise<boolean> {
    return this.proposals.drop();
  }

  // ---- history -------------------------------------------------------------------------------------------------

  undo(): Promise<void> {
    return this.log.undo();
  }

  redo(): Promise<void> {
    return this.log.redo();
  }

  historyChanged(): void {
    this.topics.tell('history');
  }

  savingChanged(): void {
    this.topics.tell('saving');
  }

  async strokeEnded(): Promise<void> {
    while (this.#stroke || this.#writer.busy || this.placing.active)
      await new Promise((resolve) => setTimeout(resolve, 30));
  }

  /** The name that a joint has on the screen. */
  jointName(joint: number): string {
    return this.skeleton.joints[joint]?.name ?? 'no joint';
  }
}
