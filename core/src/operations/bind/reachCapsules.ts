import type { BoundPositions } from '../../document/space/boundSpace.ts';
import type { JointReach } from '../../document/settings.ts';
import { CoreError } from '../../errors.ts';
import { alongSegment } from '../../skeleton/bones.ts';
import { childrenOf, type Skeleton } from '../../skeleton/skeleton.ts';
import { areasOf, mayWeigh, type Areas } from '../../weights/confines.ts';
import { copyRow, DeltaBuilder, type Change } from '../../weights/delta.ts';
import {
  beginWithLocked,
  createCandidates,
  normalizeCandidates,
  RowStatus,
} from '../../weights/normalize.ts';
import { falloffAt } from '../../math/falloff.ts';
import { TINY_WEIGHT, type WeightRows } from '../../weights/rows.ts';
import type { RewriteRules } from '../../weights/rewritePoints.ts';

/** A joint's bones: Float64Array, 6 a bone, where it begins (at the joint) and ends. */
export type JointBones = Float64Array;

const LEAF_SHARE = 0.4;

/**
 * The bones of a joint: to each of its children; a leaf has one of its own, on from its parent's.
 * @param places Float32Array, 3·jointCount
 */
export function bonesOf(skeleton: Skeleton, places: Float32Array, joint: number): JointBones {
  const at = (j: number): number[] => [...places.subarray(j * 3, j * 3 + 3)];
  const own = at(joint);
  const children = childrenOf(skeleton)[joint].filter((child) => !skeleton.joints[child].removed);
  if (children.length > 0) return Float64Array.from(children.flatMap((child) => [...own, ...at(child)]));
  const { parent } = skeleton.joints[joint];
  const above = parent >= 0 ? at(parent) : own;
  return Float64Array.from([...own, ...own.map((x, k) => x + LEAF_SHARE * (x - above[k]))]);
}

/** Distance from a place to the nearest of a joint's bones. */
export function distanceToBones(bones: JointBones, x: number, y: number, z: number): number {
  let least = Infinity;
  for (let o = 0; o < bones.length; o += 6) {
    const t = alongSegment(bones, o, x, y, z);
    const ox = x - bones[o] - (bones[o + 3] - bones[o]) * t;
    const oy = y - bones[o + 1] - (bones[o + 4] - bones[o + 1]) * t;
    const oz = z - bones[o + 2] - (bones[o + 5] - bones[o + 2]) * t;
    const own = ox * ox + oy * oy + oz * oz;
    if (own < least) least = own;
  }
  return Math.sqrt(least);
}

/** What a joint gives to a place at this distance from its bones. */
export function reachAt({ inner, outer, strength, falloff }: JointReach, distance: number): number {
  if (distance <= inner) return strength;
  if (distance >= outer) return 0;
  return strength * falloffAt(falloff, (distance - inner) / (outer - inner));
}

/** @throws CoreError argument-invalid for a reach of nothing, or one whose inside is larger than it */
export function checkReach({ inner, outer, strength }: JointReach): void {
  if (!(outer > 0 && Number.isFinite(outer)))
    throw new CoreError(
      'argument-invalid',
      'A reach of nothing gives no weight. Make its outer radius larger.',
    );
  if (!(inner >= 0 && inner <= outer))
    throw new CoreError('argument-invalid', 'The inner radius of a reach lies between 0 and the outer one.');
  if (!(strength > 0 && strength <= 1))
    throw new CoreError('argument-invalid', 'The strength of a reach is above 0 and at most 1.');
}

/** A part whose weights reaches change: its rows, in place, and its points at rest in the space of the bones. */
export interface ReachPart {
  readonly index: number;
  readonly rows: WeightRows;
  readonly positions: BoundPositions;
}

/** Fewer points than this say nothing of how thick a limb is. */
const FEWEST_NEAR = 6;
const SHARE_INSIDE = 0.5;
const OUTER_SHARE = 1.5;

/**
 * Reaches that fit the body: of the points whose nearest bone is the joint's, half lie within its inner radius. The
 * largest part is asked first, since clothes and what is held stand off from the body. Joints that no point is near get
 * the middle one of the others.
 */
export function fitReaches(
  parts: readonly ReachPart[],
  bones: ReadonlyMap<number, JointBones>,
): Map<number, JointReach> {
  const joints = [...bones.keys()];
  const found = new Map<number, number[]>();
  for (const { positions } of [...parts].sort((a, b) => b.positions.length - a.positions.length)) {
    const near = nearestDistances(positions, bones);
    for (const [joint, distances] of near)
      if (!found.has(joint) && distances.length >= FEWEST_NEAR) found.set(joint, distances);
  }
  const inner = (list: number[]): number =>
    list.length === 0 ? 0 : list.sort((a, b) => a - b)[Math.floor(SHARE_INSIDE * (list.length - 1))];
  const radii = joints.map((joint) => inner(found.get(joint) ?? []));
  const known = radii.filter((radius) => radius > 0).sort((a, b) => a - b);
  const middle = known.length > 0 ? known[known.length >> 1] : 1;
  return new Map(
    joints.map((joint, i): [number, JointReach] => {
      const radius = radii[i] > 0 ? radii[i] : middle;
      return [joint, { inner: radius, outer: OUTER_SHARE * radius, strength: 1, falloff: 'smooth' }];
    }),
  );
}

/** Distances of some thousand points, by the joint whose bone is nearest to each. */
function nearestDistances(
  positions: Float32Array,
  bones: ReadonlyMap<number, JointBones>,
): Map<number, number[]> {
  const found = new Map<number, number[]>();
  const step = 3 * Math.max(1, Math.floor(positions.length / 3 / 12000));
  for (let i = 0; i < positions.length; i += step) {
    let least = Infinity;
    let nearest = -1;
    for (const [joint, own] of bones) {
      const far = distanceToBones(own, positions[i], positions[i + 1], positions[i + 2]);
      if (far < least) [least, nearest] = [far, joint];
    }
    const list = found.get(nearest);
    if (list) list.push(least);
    else found.set(nearest, [least]);
  }
  return found;
}

/** Points of one part that a change of a reach touched; the first `count` of `points`, until the next change. */
export interface ReachTouched {
  readonly part: ReachPart;
  readonly points: Uint32Array;
  readonly count: number;
}

/**
 * Weights that follow reaches while they are dragged: rows are written at once, like a stroke's; `finish` tells what
 * has changed as a whole, `cancel` puts everything back.
 *
 * A point's weights are what the reaches give it; where they give less than all of it, the joints without a reach keep
 * their share of what is left, as they had it before. Points that no reach touches stay as they were.
 */
export class ReachWork {
  readonly #parts: readonly ReachPart[];
  readonly #before: readonly WeightRows[];
  readonly #joints: readonly number[];
  readonly #isReaching: Uint8Array;
  readonly #bones: readonly JointBones[];
  readonly #boxes: Float64Array;
  readonly #reaches: JointReach[];
  readonly #rules: RewriteRules;
  /** By part. */
  readonly #areas: readonly (Areas | undefined)[];
  readonly #candidates = createCandidates();
  /** Reaches, by number and rising, that can touch the points at hand. */
  #near: readonly number[] = [];
  /** Whether all rows are what the reaches say. */
  #isWritten = false;
  /** By part and reach: Float32Array, pointCount, below zero where it was not asked for yet; see #distance. */
  readonly #distances: (Float32Array | undefined)[][];
  /** By part, the points that the last change touched. */
  readonly #touched: readonly Uint32Array[];

  /** @throws CoreError if a reach is none, or a joint of one is locked */
  constructor(
    parts: readonly ReachPart[],
    bones: ReadonlyMap<number, JointBones>,
    reaches: ReadonlyMap<number, JointReach>,
    rules: RewriteRules,
  ) {
    this.#parts = parts;
    this.#before = parts.map(({ rows }) => ({
      ...rows,
      joints: rows.joints.slice(),
      values: rows.values.slice(),
    }));
    this.#touched = parts.map(({ rows }) => new Uint32Array(rows.pointCount));
    this.#distances = parts.map(() => []);
    this.#rules = rules;
    this.#areas = parts.map(({ index }) => areasOf(rules.confines, index));
    this.#joints = [...reaches.keys()].filter((joint) => !rules.locks[joint]);
    this.#isReaching = new Uint8Array(rules.locks.length);
    for (const joint of this.#joints) this.#isReaching[joint] = 1;
    this.#bones = this.#joints.map((joint) => bones.get(joint) ?? new Float64Array(6));
    this.#reaches = this.#joints.map((joint) => reaches.get(joint) as JointReach);
    this.#reaches.forEach(checkReach);
    this.#boxes = new Float64Array(this.#joints.length * 6);
    this.#joints.forEach((_, i) => this.#layBox(i));
  }

  get reaches(): ReadonlyMap<number, JointReach> {
    return new Map(this.#joints.map((joint, i) => [joint, this.#reaches[i]]));
  }

  /** Writes all points that any reach touches. */
  writeAll(): ReachTouched[] {
    this.#isWritten = true;
    return this.#parts.map((_, index) => this.#write(index, EVERYWHERE, () => true));
  }

  /** Another reach for one joint; only the points that it touches, or did before, are written. */
  set(joint: number, reach: JointReach): ReachTouched[] {
    checkReach(reach);
    const i = this.#joints.indexOf(joint);
    if (i < 0) return [];
    const before = this.#reaches[i];
    const outer = Math.max(reach.outer, before.outer);
    this.#reaches[i] = reach;
    this.#layBox(i);
    // Where the joint gives what it gave, the row is what it was.
    const isTouched = (index: number, p: number): boolean => {
      const far = this.#distance(index, i, p);
      if (far >= outer) return false;
      return !this.#isWritten || reachAt(reach, far) !== reachAt(before, far);
    };
    return this.#parts.map((_, index) => this.#write(index, boxOf(this.#bones[i], outer), isTouched));
  }

  finish(): Change {
    return this.#parts.flatMap(({ index, rows }, i) => {
      const builder = new DeltaBuilder(index, rows.stride, rows.pointCount);
      for (let p = 0; p < rows.pointCount; p++) builder.push(p, this.#before[i], p, rows, p);
      const delta = builder.finish();
      return delta.points.length > 0 ? [delta] : [];
    });
  }

  /** How far a point is from a reach's bones. Neither moves while reaches do: what was measured once is kept. */
  #distance(index: number, i: number, p: number): number {
    const { positions, rows } = this.#parts[index];
    const held = (this.#distances[index][i] ??= new Float32Array(rows.pointCount).fill(-1));
    if (held[p] < 0)
      held[p] = distanceToBones(this.#bones[i], positions[p * 3], positions[p * 3 + 1], positions[p * 3 + 2]);
    return held[p];
  }

  #layBox(i: number): void {
    this.#boxes.set(boxOf(this.#bones[i], this.#reaches[i].outer), i * 6);
  }

  /** Writes the points of a part that lie in a box and are touched. */
  #write(index: number, box: Float64Array, isTouched: (index: number, p: number) => boolean): ReachTouched {
    const part = this.#parts[index];
    const { positions, rows } = part;
    const points = this.#touched[index];
    // Reaches whose boxes do not meet this one have nothing to say in it.
    this.#near = this.#joints.flatMap((_, i) => (boxesMeet(box, this.#boxes, i * 6) ? [i] : []));
    let count = 0;
    for (let p = 0; p < rows.pointCount; p++) {
      const x = positions[p * 3];
      const y = positions[p * 3 + 1];
      const z = positions[p * 3 + 2];
      if (!inBox(box, 0, x, y, z) || !isTouched(index, p)) continue;
      if (this.#writePoint(index, p, x, y, z)) points[count++] = p;
    }
    return { part, points, count };
  }

  /** @returns whether the row is another now */
  #writePoint(index: number, p: number, x: number, y: number, z: number): boolean {
    const c = this.#candidates;
    const { rows } = this.#parts[index];
    const before = this.#before[index];
    const { locks, limit } = this.#rules;
    const areas = this.#areas[index];
    beginWithLocked(c, before, p, locks);
    let sum = 0;
    const boxes = this.#boxes;
    const near = this.#near;
    for (let n = 0; n < near.length; n++) {
      const i = near[n];
      if (!inBox(boxes, i * 6, x, y, z)) continue;
      const joint = this.#joints[i];
      if (!mayWeigh(areas, joint, p)) continue;
      const weight = reachAt(this.#reaches[i], this.#distance(index, i, p));
      if (weight < TINY_WEIGHT) continue;
      c.joints[c.count] = joint;
      c.values[c.count++] = weight;
      sum += weight;
    }
    if (sum === 0) return restoreRow(before, p, rows);
    this.#addOthers(before, p, 1 - sum);
    return (normalizeCandidates(rows, p, c, { fixed: -1, limit, locks }) & RowStatus.changed) !== 0;
  }

  /** The joints without a reach share what the reaches leave, in the proportion they had. */
  #addOthers(before: WeightRows, p: number, room: number): void {
    if (room <= 0) return;
    const c = this.#candidates;
    const { locks } = this.#rules;
    const first = p * before.stride;
    let others = 0;
    const counts = (joint: number): boolean => locks[joint] === 0 && this.#isReaching[joint] === 0;
    for (let k = first; k < first + before.stride && before.values[k] !== 0; k++)
      if (counts(before.joints[k])) others += before.values[k];
    if (others === 0) return;
    for (let k = first; k < first + before.stride && before.values[k] !== 0; k++) {
      if (!counts(before.joints[k])) continue;
      c.joints[c.count] = before.joints[k];
      c.values[c.count++] = (before.values[k] / others) * room;
    }
  }
}

const EVERYWHERE = Float64Array.of(-Infinity, -Infinity, -Infinity, Infinity, Infinity, Infinity);

function restoreRow(before: WeightRows, p: number, rows: WeightRows): boolean {
  let differs = false;
  for (let k = p * rows.stride; k < (p + 1) * rows.stride; k++)
    if (rows.values[k] !== before.values[k] || rows.joints[k] !== before.joints[k]) differs = true;
  if (differs) copyRow(before, p, rows, p);
  return differs;
}

function boxOf(bones: JointBones, outer: number): Float64Array {
  const box = Float64Array.from([Infinity, Infinity, Infinity, -Infinity, -Infinity, -Infinity]);
  for (let o = 0; o < bones.length; o++) {
    const k = o % 3;
    box[k] = Math.min(box[k], bones[o] - outer);
    box[k + 3] = Math.max(box[k + 3], bones[o] + outer);
  }
  return box;
}

function boxesMeet(box: Float64Array, boxes: Float64Array, at: number): boolean {
  for (let k = 0; k < 3; k++) if (box[k] > boxes[at + k + 3] || boxes[at + k] > box[k + 3]) return false;
  return true;
}

function inBox(boxes: Float64Array, at: number, x: number, y: number, z: number): boolean {
  return (
    x > boxes[at] &&
    x < boxes[at + 3] &&
    y > boxes[at + 1] &&
    y < boxes[at + 4] &&
    z > boxes[at + 2] &&
    z < boxes[at + 5]
  );
}
