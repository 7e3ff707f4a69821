import {
  dialPath,
  layersInOrder,
  posePaths,
  sameJson,
  type Finding,
  type Json,
  type Stray,
} from '@judoka/core/document';
import type { Deformer } from '@judoka/core/deform';
import { type KernelMemory, PLAIN_MEMORY } from '@judoka/core/memory';
import { type Dialled, redial, REST_POSE, type Pose } from '@judoka/core/skeleton';
import {
  copyRow,
  copyRows,
  weightKernels,
  weightOf,
  type Change,
  type WeightRows,
} from '@judoka/core/weights';
import { Events } from '../document/events.ts';
import type { OpenDocument } from '../document/OpenDocument.ts';
import { JointPalette } from './JointPalette.ts';
import { BendStrip } from './BendStrip.ts';
import type { ScenePart } from './ScenePart.ts';
import { Selection } from './Selection.ts';
import { StageMorphs } from './StageMorphs.ts';
import { StageFollowers } from './StageFollowers.ts';
import { StageRibbons } from './StageRibbons.ts';
import { StageRelaxers } from './StageRelaxers.ts';
import { Visibility } from './Visibility.ts';

export type SceneEvent =
  'pose' | 'joint' | 'selection' | 'parts' | 'shapes' | 'marks' | 'strays' | 'amounts' | 'ghost' | 'beside';

/** Points of one part whose drawing has changed; the first `count` of `points`. */
export type PointsChanged = (part: ScenePart, points: Uint32Array, count: number) => void;

/** What is pointed out on the stage: points by part, and joints. */
export interface Marks {
  readonly points: ReadonlyMap<number, Uint32Array>;
  readonly joints: readonly number[];
  /** Places off joints, by so much in the scene. */
  readonly besides?: readonly { readonly joint: number; readonly offset: readonly number[] }[];
  /** What the marks show; the finding that they belong to. */
  readonly of?: Finding;
  /** Whether the camera stays where it is. */
  readonly keepsCamera?: boolean;
}

/** A surface that is only drawn. */
export interface Ghost {
  readonly positions: Float32Array;
  readonly triangles: Uint32Array;
}

/** Pulled apart, the layers of a drawing take so many widths of its page. */
const SPREAD = 2.5;

export const NO_MARKS: Marks = { points: new Map(), joints: [] };

/** A pose that rests for this long is an edit. */
const POSE_SETTLED_MS = 250;

/**
 * What is on the stage: the pose, the chosen joint and how its weights are drawn, what is selected, hidden and pointed
 * out. It follows the document; of the document it changes the pose alone.
 */
export class Scene {
  readonly document: OpenDocument;
  readonly parts: readonly ScenePart[];
  readonly events = new Events<SceneEvent>();
  readonly palette: JointPalette;
  /** By part, what is drawn of each point where amounts are looked at: 0..1; undefined while they are not known. */
  amounts: readonly Float32Array[] | undefined;
  /** Parts from back to front in the pose on the stage: the order in which the layers of a drawing are drawn. */
  layerOrder: readonly number[] = [];
  /** How far the layers of a drawing are pulled apart: 0..1. */
  apart = 0;
  /** Whether parts that are hidden follow the pose too, because they are seen faintly. */
  showsGhosts = false;
  /** Another surface that is drawn over the character, in bound space. */
  ghost: readonly Ghost[] = [];
  /** Rows that stand beside the stage, one a part; as the file came where undefined. */
  besideRows: readonly WeightRows[] | undefined;
  #strays: readonly Stray[] = [];
  readonly pointListeners = new Set<PointsChanged>();
  readonly selection: Selection;
  readonly visibility: Visibility;
  readonly strip: BendStrip;
  /** World matrices of the pose on the stage: Float32Array, 16 a joint that there is room for. */
  readonly world: Float32Array;
  readonly #relaxers: StageRelaxers;
  readonly #followers: StageFollowers;
  readonly #ribbons: StageRibbons;
  readonly morphs: StageMorphs;
  deformer: Deformer;
  /** Chosen joint; -1 for none. */
  joint = -1;
  /** Joints chosen beside it, for what acts on several. */
  readonly alsoChosen = new Set<number>();
  pose: Pose;
  /** By saved pose: how much of it is in the pose. */
  dials: Readonly<Record<string, number>>;
  /** The same with joints that were removed meanwhile: they may come back. */
  #wholePose: Pose;
  /** True while the rest pose is shown instead of the pose. */
  showsRest = false;
  marks: Marks = NO_MARKS;
  /** The document's pose as the scene last took it. */
  #documentPose: Pose;
  /** A pose that is not in the document yet. */
  #unsettled: { readonly label: string | undefined; readonly growsAs: string } | undefined;
  #timer: ReturnType<typeof setTimeout> | undefined;
  /** Parts whose weights were written since the joint's weights were last read as a whole. */
  readonly #written = new Set<ScenePart>();

  constructor(document: OpenDocument, parts: readonly ScenePart[]) {
    this.document = document;
    this.palette = new JointPalette(document);
    this.parts = parts;
    this.world = new Float32Array(document.bound.jointCapacity * 16);
    this.#relaxers = new StageRelaxers(document, parts, () => this.#lookChanged());
    this.morphs = new StageMorphs(document, parts, (isOtherLook) => this.#reshaped(isOtherLook));
    this.#ribbons = new StageRibbons(document, parts, () => this.#lookChanged());
    this.#followers = new StageFollowers(document, parts, () => this.#lookChanged());
    this.deformer = this.deformerIn(document.memory);
    this.#documentPose = document.settings.pose;
    this.#wholePose = this.#documentPose;
    this.dials = document.settings.dials;
    this.pose = document.knownJoints(this.#wholePose);
    this.selection = new Selection(parts, () => this.events.publish('selection'));
    this.visibility = new Visibility(document, parts, this.selection, () => this.partsChanged());
    this.strip = new BendStrip(this);
    document.rowListeners.add((part, points, count) => this.#follow(parts[part], points, count));
    document.unsettled.add(() => this.settlePose());
    document.events.subscribe('weights', () => this.#readWritten());
    document.events.subscribe('rest', () => this.#restMoved());
    document.events.subscribe('joints', () => this.#jointsChanged());
    document.events.subscribe('values', () => this.#valuesChanged());
    this.#deform();
    this.#relaxers.follow();
    this.#followers.follow().catch(document.notifyError);
  }

  close(): void {
    clearTimeout(this.#timer);
    this.morphs.close();
  }

  // ---- the chosen joint ------------------------------------------------------------------------------------------

  chooseJoint(joint: number): void {
    if (this.alsoChosen.size > 0) {
      this.alsoChosen.clear();
      this.events.publish('joint');
    }
    if (joint === this.joint) return;
    this.joint = joint;
    for (const part of this.parts) this.readJointWeights(part);
    this.strip.rebuild();
    this.events.publish('joint');
  }

  /** Takes a joint to the chosen ones, or out of them; the one that is worked on stays. */
  toggleChosen(joint: number): void {
    if (this.joint < 0) {
      this.chooseJoint(joint);
      return;
    }
    if (joint !== this.joint && !this.alsoChosen.delete(joint)) this.alsoChosen.add(joint);
    this.events.publish('joint');
  }

  /** Chooses further joints beside the one that is worked on, instead of those that were. */
  chooseAlso(joints: readonly number[]): void {
    this.alsoChosen.clear();
    for (const joint of joints) if (joint !== this.joint) this.alsoChosen.add(joint);
    this.events.publish('joint');
  }

  /** All chosen joints, rising. */
  chosenJoints(): number[] {
    return [...new Set([this.joint, ...this.alsoChosen])].filter((joint) => joint >= 0).sort((a, b) => a - b);
  }

  /** What is drawn of the chosen joint's weight. */
  readJointWeights(part: ScenePart): void {
    if (this.joint < 0) part.jointWeights.fill(0);
    else weightKernels(this.document.memory).readColumn(part.skin.rows, this.joint, part.jointWeights);
    this.#markStrays(part);
  }

  setBeside(rows: readonly WeightRows[] | undefined): void {
    if (rows === this.besideRows) return;
    this.besideRows = rows;
    this.events.publish('beside');
  }

  setGhost(ghost: readonly Ghost[]): void {
    if (ghost.length === 0 && this.ghost.length === 0) return;
    this.ghost = ghost;
    this.events.publish('ghost');
  }

  setAmounts(amounts: readonly Float32Array[] | undefined): void {
    this.amounts = amounts;
    this.events.publish('amounts');
  }

  /** Says where weight strays; it is drawn where the chosen joint's does. */
  setStrays(strays: readonly Stray[]): void {
    const held = this.#strays;
    if (strays.length === held.length && strays.every((stray, i) => stray === held[i])) return;
    this.#strays = strays;
    for (const part of this.parts) this.#markStrays(part);
    this.events.publish('strays');
  }

  #markStrays({ index, strays }: ScenePart): void {
    strays.fill(0);
    for (const { part, joint, points } of this.#strays)
      if (part === index && joint === this.joint) for (const p of points) strays[p] = 1;
  }

  // ---- the pose --------------------------------------------------------------------------------------------------

  /** Takes a pose for a moment, as a clip does that plays: it does not become the document's. */
  showPose(pose: Pose): void {
    this.#wholePose = this.pose = pose;
    this.#deform();
  }

  /**
   * Takes a pose, which becomes the document's once it rests.
   * @param growsAs moves with the same key that follow each other are one edit: those of one handle
   * @param dials   what of saved poses is in it; none where it has nothing to do with the pose before
   */
  setPose(pose: Pose, label?: string, growsAs = 'pose', dials: Readonly<Record<string, number>> = {}): void {
    if (this.#unsettled && this.#unsettled.growsAs !== growsAs) this.settlePose();
    this.dials = dials;
    this.showPose(pose);
    // Whoever only looks poses for themselves.
    if (!this.document.mayChange) return;
    this.#unsettled = { label, growsAs };
    clearTimeout(this.#timer);
    this.#timer = setTimeout(() => this.settlePose(), POSE_SETTLED_MS);
  }

  /** Changes what a hand does to the pose: what of saved poses is in it stays. */
  handlePose(pose: Pose, label?: string, growsAs?: string): void {
    this.setPose(pose, label, growsAs, this.dials);
  }

  /** Dials saved poses: each so much of itself, added to what hands did; those that are not named stay. */
  dial(amounts: Readonly<Record<string, number>>, label: string, growsAs: string): void {
    const { poses } = this.document.settings;
    const dials = Object.fromEntries(
      Object.entries({ ...this.dials, ...amounts }).filter(([, amount]) => amount !== 0),
    );
    const dialled = (held: Readonly<Record<string, number>>): Dialled[] =>
      poses.flatMap(({ id, joints }) =>
        id in held ? [{ pose: this.document.knownJoints(joints), amount: held[id] }] : [],
      );
    this.setPose(redial(this.pose, dialled(this.dials), dialled(dials)), label, growsAs, dials);
  }

  /** Makes the pose on the stage the document's, as an edit, if it is to be. */
  settlePose(): void {
    const open = this.#unsettled;
    if (!open) return;
    this.#unsettled = undefined;
    clearTimeout(this.#timer);
    const { settings } = this.document;
    const paths = { ...posePaths(settings.pose, this.pose), ...dialPaths(settings.dials, this.dials) };
    this.#documentPose = this.pose;
    const { values } = this.document;
    const changed = Object.keys(paths).filter((path) => !sameJson(values[path] ?? null, paths[path]));
    this.document.setValues(
      open.label ?? this.#poseLabel(changed.filter((path) => path.startsWith('pose/'))),
      paths,
      {
        growsAs: open.growsAs,
      },
    );
    this.#documentPose = this.document.settings.pose;
  }

  #poseLabel(paths: readonly string[]): string {
    if (Object.keys(this.pose).length === 0) return 'Rest pose';
    if (paths.length > 1) return `Pose of ${paths.length} joints`;
    return `Pose ${this.document.jointName(Number(paths[0]?.split('/')[1] ?? -1))}`;
  }

  setShowsRest(shows: boolean): void {
    if (this.showsRest === shows) return;
    this.showsRest = shows;
    this.#deform();
  }

  // ---- what is drawn ---------------------------------------------------------------------------------------------

  /** Points things out on the stage, or nothing any more. */
  setMarks(marks: Marks): void {
    this.marks = marks;
    this.events.publish('marks');
  }

  /** What is drawn of parts has changed. */
  partsChanged(): void {
    this.#deform();
    this.strip.rebuild();
    this.events.publish('parts');
  }

  /** Points lie elsewhere at rest, by shapes. */
  #reshaped(isOtherLook: boolean): void {
    if (isOtherLook) this.deformer = this.deformerIn(this.document.memory);
    this.#deform();
    this.strip.repose();
    this.events.publish('shapes');
  }

  /** How far a change would move the surface in the pose on the stage, at most, in scene units; nothing is changed. */
  movementOf(change: Change): number {
    const deformer = this.deformerIn(PLAIN_MEMORY);
    let most = 0;
    for (const { part, points, after } of change) {
      const { skin, dual } = this.parts[part];
      const { positions } = skin;
      const moved = new Float32Array(positions.length);
      const rows = copyRows(skin.rows);
      points.forEach((point, i) => copyRow(after, i, rows, point));
      const arrays = { ...skin, rows, positions: moved, normals: moved.slice() };
      deformer.skinList(arrays, dual, { points, count: points.length });
      for (const p of points)
        most = Math.max(most, Math.hypot(...[0, 1, 2].map((k) => moved[p * 3 + k] - positions[p * 3 + k])));
    }
    return most;
  }

  /** Surface, drawn weights and bend strip follow the first `count` of `points`, whose rows were written. */
  #follow(part: ScenePart, points: Uint32Array, count: number): void {
    const list = points.buffer === part.paint.points.buffer ? points : part.paint.points;
    if (list !== points) list.set(points.subarray(0, count));
    if (this.joint >= 0) {
      for (let i = 0; i < count; i++)
        part.jointWeights[list[i]] = weightOf(part.skin.rows, list[i], this.joint);
    }
    this.#written.add(part);
    const affected = this.deformer.affectedBy(part.skin, { points: list, count });
    this.#redeform(part, affected.points, affected.count);
    for (const along of this.#followers.along(part, affected.points, affected.count)) {
      const { points: found, part: follower } = along;
      follower.paint.points.set(found);
      this.#redeform(follower, follower.paint.points, found.length);
    }
  }

  /** Deforms listed points of a part anew, wherever they are drawn. */
  #redeform(part: ScenePart, points: Uint32Array, count: number): void {
    this.deformer.skinList(part.skin, part.dual, { points, count });
    this.strip.follow(part, points, count);
    for (const listener of this.pointListeners) listener(part, points, count);
  }

  #readWritten(): void {
    for (const part of this.#written) this.readJointWeights(part);
    this.#written.clear();
  }

  #jointsChanged(): void {
    if (this.joint >= 0 && this.document.skeleton.joints[this.joint]?.removed !== undefined)
      this.chooseJoint(-1);
    this.pose = this.document.knownJoints(this.#wholePose);
    this.#deform();
    this.strip.rebuild();
  }

  #valuesChanged(): void {
    const { skinning, pose } = this.document.settings;
    const isOther = !sameJson(pose as unknown as Json, this.#documentPose as unknown as Json);
    if (!this.#unsettled) this.dials = this.document.settings.dials;
    if (isOther) {
      this.#documentPose = this.#wholePose = pose;
      this.pose = this.document.knownJoints(pose);
    }
    this.#relaxers.follow();
    if (skinning !== this.deformer.skinning) this.#lookChanged();
    else if (
      isOther ||
      !sameJson([...this.layerOrder], [...this.orderIn(this.showsRest ? REST_POSE : this.pose)])
    )
      this.#deform();
  }

  #lookChanged(): void {
    this.deformer = this.deformerIn(this.document.memory);
    this.#deform();
    this.strip.rebuild();
  }

  /** What deforms the surface as the document wants it. @param memory where the arrays lie that it is given */
  deformerIn(memory: KernelMemory): Deformer {
    const own = this.#relaxers.deformerIn(memory, (skinned) =>
      this.#ribbons.deformerOver(this.morphs.deformerOver(skinned)),
    );
    return this.#followers.deformerOver(own, memory);
  }

  #deform(): void {
    const pose = this.showsRest ? REST_POSE : this.pose;
    this.document.bound.pose(pose, this.world);
    this.layerOrder = this.orderIn(pose);
    for (const part of this.parts) {
      this.preparePart(part, this.world);
      if (part.visible || this.showsGhosts)
        this.deformer.skinRange(part.skin, part.dual, 0, part.part.pointCount);
    }
    this.events.publish('pose');
  }

  /** Parts from back to front in a pose. */
  orderIn(pose: Pose): readonly number[] {
    const { character, settings } = this.document;
    return character.drawing ? layersInOrder(this.parts.length, settings, pose) : this.parts.map((_, i) => i);
  }

  /** The document's points lie elsewhere at rest. */
  #restMoved(): void {
    for (const index of this.document.restMoved) {
      const { part, skin, strain } = this.parts[index];
      skin.rest.set(part.positions);
      skin.restNormals.set(part.normals);
      strain.ready = false;
    }
    this.morphs.restMoved(this.document.restMoved);
    this.deformer = this.deformerIn(this.document.memory);
    this.#deform();
    this.strip.rebuild();
    this.#relaxers.restMoved();
    this.events.publish('shapes');
  }

  /** Some points of a part were put elsewhere at rest, in a drag or a stroke. */
  restTouched(part: ScenePart, points: Uint32Array, count: number): void {
    const list = points.buffer === part.paint.points.buffer ? points : part.paint.points;
    if (list !== points) list.set(points.subarray(0, count));
    const affected = this.deformer.affectedBy(part.skin, { points: list, count });
    this.#redeform(part, affected.points, affected.count);
  }

  /** Points of a part were put elsewhere at rest, for a look. */
  restMoved(part: ScenePart): void {
    this.deformer.skinRange(part.skin, part.dual, 0, part.part.pointCount);
    this.events.publish('pose');
  }

  /** Lays a part's palette out for world matrices. */
  preparePart({ index, skin, dual }: ScenePart, world: Float32Array): void {
    this.document.bound.palette(index, world, skin.palette);
    const aside = this.asideOf(index);
    // Every matrix leads to the layer's place aside: what is skinned, picked and painted is there.
    if (aside !== 0) for (let k = 12; k < skin.palette.length; k += 16) skin.palette[k] += aside;
    this.deformer.prepare(skin.palette, dual);
  }

  setShowsGhosts(shows: boolean): void {
    if (this.showsGhosts === shows) return;
    this.showsGhosts = shows;
    this.#deform();
  }

  /** Pulls the layers of a drawing apart, in their order, to either side. @param amount 0..1 */
  setApart(amount: number): void {
    if (amount === this.apart || !this.document.character.drawing) return;
    this.apart = amount;
    this.#deform();
  }

  /** How far to the side a layer stands, in scene units. */
  asideOf(part: number): number {
    const { drawing } = this.document.character;
    if (!drawing || this.apart === 0 || this.parts.length < 2) return 0;
    const order = part / (this.parts.length - 1) - 0.5;
    return this.apart * order * SPREAD * drawing.page[2] * drawing.scale;
  }
}

function dialPaths(
  before: Readonly<Record<string, number>>,
  after: Readonly<Record<string, number>>,
): Record<string, Json> {
  const none = Object.keys(before).map((id) => [dialPath(id), null] as const);
  return Object.fromEntries([...none, ...Object.entries(after).map(([id, x]) => [dialPath(id), x] as const)]);
}
