import type { Stray, StrayKind } from '../../document/stray.ts';
import { joinPieces } from '../../weights/pieces.ts';
import type { CheckInput } from '../../document/checkInput.ts';
import { gatherBindSpace } from '../../document/space/bindSpace.ts';
import { childrenOf, type Skeleton } from '../../skeleton/skeleton.ts';
import { rowDistance } from '../../operations/select/walks.ts';
import { findNeighbours } from '../../mesh/topology.ts';
import type { Neighbours } from '../../mesh/neighbours.ts';
import { TINY_WEIGHT, weightOf, type WeightRows } from '../../weights/rows.ts';
import { JointDistances } from './jointDistances.ts';

/** What strays are looked for in; lengths are those of bind space. */
export type StrayInput = Pick<
  CheckInput,
  'parts' | 'skeleton' | 'rows' | 'nonDeforming' | 'roots' | 'places' | 'pairs' | 'tolerance'
>;

/** A root with more than this share of all weight is part of the body after all. */
const ROOT_SHARE = 0.05;
/** Joints count as being there from this share of the most that any other has. */
const KIN_SHARE = 0.1;
/** Joints this many steps along the skeleton apart belong to different limbs. */
const FOREIGN_STEPS = 3;
/** Kin two steps away makes a patch foreign only beyond this many times what the joint reaches elsewhere. */
const BEYOND_REACH = 1;
/** The joint's largest patch is its main region unless it lies this much farther from its bone than other joints do. */
const LOST_RATIO = 4;
const ALONE_POINTS = 2;
/** A single point is unlike its neighbours from this distance of rows on, which are alike up to the other. */
const SPIKE = 0.5;
const AGREED = 0.25;
const FEWEST_AROUND = 3;
/** Patches with less than this share of the heaviest one's weight are not the main region. */
const SLIGHT_SHARE = 0.03;
/** Twins weigh alike to this share. */
const TWIN_SHARE = 0.2;
const MAX_PASSES = 3;

/** One connected patch of a joint's weight. */
interface Piece {
  readonly part: number;
  readonly joint: number;
  readonly points: readonly number[];
  readonly mass: number;
  readonly most: number;
  /** False where it covers its island. */
  readonly bordered: boolean;
  stray: boolean;
}

/**
 * Weight that does not belong where it is, found without posing: patches of a joint's weight that hang together with
 * its main region nowhere, lie among joints of another limb (by steps along the skeleton) and beyond what the joint
 * reaches elsewhere; weight on roots and still joints; leftovers of these. By part, joint and first point.
 *
 * A patch among near relatives of its joint is no stray however it hangs: painted models are full of those.
 */
export function findStrays(input: StrayInput): Stray[] {
  return new StrayFinder(input).find();
}

class StrayFinder {
  readonly #input: StrayInput;
  readonly #steps: Uint8Array;
  readonly #jointCount: number;
  readonly #distances: JointDistances;
  readonly #positions: Float32Array[];
  readonly #neighbours: Neighbours[];
  /** By part and slot: the piece that it belongs to. */
  readonly #pieceOf: (Int32Array | undefined)[] = [];
  readonly #pieces: Piece[] = [];
  /** By joint: how far from its bone its main region lies, nearly all of it. */
  readonly #reach: Float64Array;
  readonly #mainOf: Int32Array;

  constructor(input: StrayInput) {
    this.#input = input;
    const { parts, skeleton, places } = input;
    this.#jointCount = skeleton.joints.length;
    this.#steps = stepsBetween(skeleton);
    this.#distances = new JointDistances(skeleton, places);
    this.#positions = parts.map((_, part) => gatherPlaces(parts, part));
    this.#neighbours = parts.map(({ polygonOffsets, polygonPoints, pointCount }) =>
      findNeighbours({ offsets: polygonOffsets, points: polygonPoints }, pointCount),
    );
    this.#reach = new Float64Array(this.#jointCount);
    this.#mainOf = new Int32Array(this.#jointCount).fill(-1);
  }

  find(): Stray[] {
    this.#collect();
    this.#chooseMain();
    const misplaced = this.#misplaced();
    const kinds = new Map<number, StrayKind>();
    // What another stray alone vouches for is a stray too: look again without those that were found.
    for (let pass = 0, found = -1; pass < MAX_PASSES && found !== kinds.size; pass++) {
      found = kinds.size;
      this.#pieces.forEach((piece, index) => {
        if (kinds.has(index)) return;
        const kind = misplaced.has(piece.joint) ? 'root' : this.#kindOf(piece, index);
        if (kind) kinds.set(index, kind);
      });
      for (const index of kinds.keys()) this.#pieces[index].stray = true;
    }
    const twins = this.#twins([...kinds.keys()]);
    return [...kinds]
      .map(([index, kind]) => {
        const { part, joint, points, mass } = this.#pieces[index];
        return { part, joint, kind, points: Uint32Array.from(points), mass, twin: twins.has(index) };
      })
      .sort((x, y) => x.part - y.part || x.joint - y.joint || x.points[0] - y.points[0]);
  }

  #collect(): void {
    const { parts, rows } = this.#input;
    parts.forEach(({ role }, part) => {
      if (role !== 'skinned') return;
      const own = rows[part];
      const { pieceOf, mass, bordered } = joinPieces(own, this.#neighbours[part]);
      const numbers = new Int32Array(pieceOf.length).fill(-1);
      const points: number[][] = [];
      const first = this.#pieces.length;
      const roots: number[] = [];
      const most: number[] = [];
      for (let node = 0; node < pieceOf.length; node++) {
        if (own.values[node] === 0) continue;
        const root = pieceOf[node];
        if (numbers[root] < 0) {
          numbers[root] = first + points.length;
          points.push([]);
          roots.push(root);
          most.push(0);
        }
        numbers[node] = numbers[root];
        const at = numbers[node] - first;
        points[at].push(Math.floor(node / own.stride));
        most[at] = Math.max(most[at], own.values[node]);
      }
      this.#pieceOf[part] = numbers;
      roots.forEach((root, i) =>
        this.#pieces.push({
          part,
          joint: own.joints[root],
          points: points[i],
          mass: mass[root],
          most: most[i],
          bordered: bordered[root] === 1,
          stray: false,
        }),
      );
    });
  }

  /** The main region of each joint is the patch nearest to its bone that is not slight beside the heaviest. */
  #chooseMain(): void {
    const byJoint: number[][] = Array.from({ length: this.#jointCount }, () => []);
    this.#pieces.forEach(({ joint }, i) => byJoint[joint].push(i));
    byJoint.forEach((list, joint) => {
      if (list.length === 0) return;
      const heaviest = list.reduce((most, i) => Math.max(most, this.#pieces[i].mass), 0);
      const far = (i: number): number => this.#middle(this.#pieces[i]);
      const able = list.filter((i) => this.#pieces[i].mass >= SLIGHT_SHARE * heaviest);
      const main = able.reduce((best, i) => (far(i) < far(best) ? i : best), able[0]);
      this.#mainOf[joint] = main;
      this.#reach[joint] = this.#reachOf(this.#pieces[main]);
    });
  }

  /** How far from its joint's bone half of a patch's points lie, at most. */
  #middle({ part, joint, points }: Piece): number {
    const far = points.map((p) => this.#distance(part, joint, p)).sort((x, y) => x - y);
    return far[far.length >> 1];
  }

  /** Whether a patch lies far from its joint's bone, compared with what else is there. */
  #isLost(piece: Piece): boolean {
    return piece.points.every((p) => {
      const own = this.#distance(piece.part, piece.joint, p);
      return own > LOST_RATIO * Math.max(this.#nearest(piece.part, p), 2 * this.#input.tolerance);
    });
  }

  #nearest(part: number, p: number): number {
    const at = this.#positions[part];
    return this.#distances.nearest(at[p * 3], at[p * 3 + 1], at[p * 3 + 2]);
  }

  #distance(part: number, joint: number, p: number): number {
    const at = this.#positions[part];
    return this.#distances.to(joint, at[p * 3], at[p * 3 + 1], at[p * 3 + 2]);
  }

  /** The distance from the bone within which nearly all of a patch lies. */
  #reachOf({ part, joint, points }: Piece): number {
    const far = points.map((p) => this.#distance(part, joint, p)).sort((a, b) => a - b);
    return far[Math.floor(0.95 * (far.length - 1))];
  }

  /** Joints whose weight is wrong wherever it is. */
  #misplaced(): Set<number> {
    const { roots, nonDeforming } = this.#input;
    const total = this.#pieces.reduce((sum, { mass }) => sum + mass, 0);
    const massOf = (joint: number): number =>
      this.#pieces.reduce((sum, piece) => sum + (piece.joint === joint ? piece.mass : 0), 0);
    return new Set([...nonDeforming, ...[...roots].filter((joint) => massOf(joint) < ROOT_SHARE * total)]);
  }

  #kindOf(piece: Piece, index: number): StrayKind | undefined {
    const { joint, part, points } = piece;
    const isMain = this.#mainOf[joint] === index;
    if ((isMain || this.#coversIsland(piece)) && !this.#isLost(piece)) return undefined;
    if (points.length === 1 && !isMain && this.#isSpike(part, points[0], joint)) return 'alone';
    const steps = this.#stepsToKin(piece);
    if (steps === undefined || steps < 2) return undefined;
    let nearest = Infinity;
    for (const p of points) nearest = Math.min(nearest, this.#distance(part, joint, p));
    if (!isMain && steps < FOREIGN_STEPS && nearest < BEYOND_REACH * this.#reach[joint]) return undefined;
    if (isMain && steps < FOREIGN_STEPS) return undefined;
    if (piece.most < TINY_WEIGHT) return 'tiny';
    if (points.length <= ALONE_POINTS) return 'alone';
    if (isMain) return 'far';
    return this.#isAcross(piece) ? 'across' : 'apart';
  }

  /**
   * Steps along the skeleton from a patch's joint to the nearest of the joints that rule in and around it; undefined
   * where nothing else has weight. Strays do not count.
   */
  #stepsToKin({ part, joint, points }: Piece): number | undefined {
    const shares = new Map<number, number>();
    const { offsets, points: linked } = this.#neighbours[part];
    const rows = this.#input.rows[part];
    const inside = new Set(points);
    const read = (p: number): void => this.#addShares(rows, part, p, joint, shares);
    const ring = new Set<number>();
    for (const p of points) {
      read(p);
      for (let e = offsets[p]; e < offsets[p + 1]; e++) if (!inside.has(linked[e])) ring.add(linked[e]);
    }
    for (const p of ring) read(p);
    const most = Math.max(0, ...shares.values());
    let least: number | undefined;
    for (const [other, share] of shares) {
      if (share < KIN_SHARE * most) continue;
      least = Math.min(least ?? Infinity, this.#steps[joint * this.#jointCount + other]);
    }
    return least;
  }

  #addShares(
    { joints, values, stride }: WeightRows,
    part: number,
    p: number,
    except: number,
    shares: Map<number, number>,
  ): void {
    const numbers = this.#pieceOf[part] as Int32Array;
    for (let node = p * stride; node < (p + 1) * stride && values[node] !== 0; node++) {
      if (joints[node] === except || this.#pieces[numbers[node]].stray) continue;
      shares.set(joints[node], (shares.get(joints[node]) ?? 0) + values[node]);
    }
  }

  /** Whether a point is ruled by a joint that its neighbours hardly know, while these agree with one another. */
  #isSpike(part: number, p: number, joint: number): boolean {
    const rows = this.#input.rows[part];
    const { offsets, points } = this.#neighbours[part];
    const around = [...points.subarray(offsets[p], offsets[p + 1])];
    if (around.length < FEWEST_AROUND || weightOf(rows, p, joint) < SPIKE) return false;
    return around.every(
      (n) =>
        rows.values[n * rows.stride] > 0 &&
        rowDistance(rows, p, n) >= SPIKE &&
        rowDistance(rows, around[0], n) <= AGREED,
    );
  }

  /** Whether a patch is nearly all that an island has: an accessory, which hangs on what it hangs on. */
  #coversIsland({ bordered, mass, points }: Piece): boolean {
    return !bordered && mass > 0.5 * points.length;
  }

  /**
   * Strays that lie on both sides alike, each of its own side's joint: a person, or a program that was told to mirror,
   * did that; it may be meant.
   */
  #twins(strays: readonly number[]): Set<number> {
    const { partner, axis, middle } = this.#input.pairs;
    const twins = new Set<number>();
    const centres = new Map(strays.map((index) => [index, this.#centre(this.#pieces[index])]));
    for (const a of strays) {
      const one = this.#pieces[a];
      const seen = [...(centres.get(a) as number[])];
      seen[axis] = 2 * middle - seen[axis];
      const twin = strays.some((b) => {
        const other = this.#pieces[b];
        if (a === b || other.points.length !== one.points.length || other.joint !== partner[one.joint])
          return false;
        if (Math.abs(other.mass - one.mass) > TWIN_SHARE * one.mass) return false;
        const at = centres.get(b) as number[];
        return Math.hypot(...at.map((x, k) => x - seen[k])) < 10 * this.#input.tolerance;
      });
      if (twin) twins.add(a);
    }
    return twins;
  }

  #centre({ part, points }: Piece): number[] {
    const at = this.#positions[part];
    return [0, 1, 2].map((k) => points.reduce((sum, p) => sum + at[p * 3 + k], 0) / points.length);
  }

  #isAcross({ part, joint, points }: Piece): boolean {
    const { pairs, places, tolerance } = this.#input;
    const { axis, middle, partner } = pairs;
    if (partner[joint] < 0 || partner[joint] === joint) return false;
    const own = places[joint * 3 + axis] - middle;
    const at = this.#positions[part];
    const mean = points.reduce((sum, p) => sum + at[p * 3 + axis] - middle, 0) / points.length;
    return Math.abs(own) > tolerance && Math.abs(mean) > tolerance && own * mean < 0;
  }
}

const gatherPlaces = (parts: StrayInput['parts'], part: number): Float32Array =>
  gatherBindSpace(parts, [part]).positions;

/** Steps along the skeleton from joint to joint: Uint8Array, jointCount²; 255 where nothing leads there. */
export function stepsBetween(skeleton: Skeleton): Uint8Array {
  const count = skeleton.joints.length;
  const children = childrenOf(skeleton);
  const steps = new Uint8Array(count * count).fill(255);
  for (let start = 0; start < count; start++) {
    const row = steps.subarray(start * count, (start + 1) * count);
    row[start] = 0;
    const queue = [start];
    for (const joint of queue) {
      for (const next of [skeleton.joints[joint].parent, ...children[joint]]) {
        if (next < 0 || row[next] !== 255) continue;
        row[next] = Math.min(254, row[joint] + 1);
        queue.push(next);
      }
    }
  }
  return steps;
}
