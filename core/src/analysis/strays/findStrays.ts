import type { Stray, StrayKind } from '../../document/stray.ts';
import { joinPieces } from '../../weights/pieces.ts';
import type { CheckInput } from '../../document/checkInput.ts';
import { gatherBindSpace } from '../../document/space/bindSpace.ts';
import { childrenOf, type Skeleton } from '../../skeleton/skeleton.ts';
import { rowDistance } from '../../operations/select/walks.ts';
import { findIslands, findNeighbours } from '../../mesh/topology.ts';
import type { Neighbours } from '../../mesh/neighbours.ts';
import { TINY_WEIGHT, weightOf } from '../../weights/rows.ts';
import { JointDistances } from './jointDistances.ts';
import {
  compareWithRim,
  isFlatlyLaidOn,
  isLaidOn,
  rulersAround,
  type PatchPlace,
  type RimComparison,
} from './patchRim.ts';

/** What strays are looked for in; lengths are those of bind space. */
export type StrayInput = Pick<
  CheckInput,
  'parts' | 'skeleton' | 'rows' | 'nonDeforming' | 'roots' | 'places' | 'pairs' | 'tolerance'
>;

/** A root with more than this share of all weight is part of the body after all. */
const ROOT_SHARE = 0.05;
/** Joints this many steps along the skeleton apart belong to different limbs. */
const FOREIGN_STEPS = 3;
/**
 * Among its joint's kin a patch is out of place where every point is this many times as far from the joint's bone as from
 * the nearest one, and all of it farther than the joint reaches elsewhere; a faint one must be farther still, for faint
 * leftovers near the border of a region are no fault that anybody sees.
 */
const OUT_RATIO = 2.2;
const OUT_REACH = 1;
const FAINT_REACH = 1.6;
const FAINT = 0.1;
/** Either of these is enough where a patch looks laid on: see isLaidOn. */
const LAID_RATIO = 1.2;
const LAID_REACH = 1.4;
const LAID_POINTS = 3;
/** A larger patch that is all of one height and hides nothing is no painting, wherever it lies. */
const FLAT_POINTS = 10;
/** An island is rigid where this share of it follows one joint whole; a patch on it is no more than so much of it. */
const WHOLE = 0.999;
const RIGID_POINTS = 8;
const RIGID_SHARE = 0.7;
const ON_RIGID_SHARE = 1;
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
 * Painted models are full of patches among near relatives of their joint. Those are judged by what surrounds them: they
 * stray where other bones are much nearer, beyond all that the joint reaches, or where they look laid on.
 */
export function findStrays(input: StrayInput): Stray[] {
  return new StrayFinder(input).find();
}

/** What lies in and around a patch. */
interface Rim {
  /** Steps along the skeleton to the nearest of the joints that rule there; undefined where nothing else has weight. */
  readonly steps: number | undefined;
  readonly surroundings: () => RimComparison;
}

class StrayFinder {
  readonly #input: StrayInput;
  readonly #steps: Uint8Array;
  readonly #jointCount: number;
  readonly #distances: JointDistances;
  readonly #positions: Float32Array[];
  readonly #neighbours: Neighbours[];
  /** By part, once somebody asked. */
  readonly #islands: (ReturnType<typeof findIslands> | undefined)[] = [];
  /** By part and slot: the piece that it belongs to. */
  readonly #pieceOf: (Int32Array | undefined)[] = [];
  readonly #pieces: Piece[] = [];
  /** By joint, once somebody asked: see reachOf. */
  readonly #reach: (number | undefined)[] = [];
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
      const heavy = list.filter((i) => this.#pieces[i].mass >= SLIGHT_SHARE * heaviest);
      // What is laid on a rigid piece of another joint's may lie nearer to the bone than all that is its own.
      const own = heavy.length > 1 ? heavy.filter((i) => !this.#isOnRigid(this.#pieces[i])) : [];
      const able = own.length > 0 ? own : heavy;
      const far = able.length > 1 ? able.map((i) => this.#within(this.#pieces[i], 0.5)) : [0];
      this.#mainOf[joint] = able[far.indexOf(Math.min(...far))];
    });
  }

  /** How far from its bone a joint's main region lies, nearly all of it. */
  #reachOf(joint: number): number {
    return (this.#reach[joint] ??= this.#within(this.#pieces[this.#mainOf[joint]], 0.95));
  }

  /** The distance from its joint's bone within which a share of a patch's points lies. */
  #within({ part, joint, points }: Piece, share: number): number {
    const far = Float64Array.from(points, (p) => this.#distance(part, joint, p)).sort();
    return far[Math.floor(share * (far.length - 1))];
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
    const rim = this.#rimOf(piece);
    if (rim.steps === undefined) return undefined;
    if (isMain ? rim.steps < FOREIGN_STEPS : rim.steps < FOREIGN_STEPS && !this.#isOut(piece, rim))
      return undefined;
    if (piece.most < TINY_WEIGHT) return 'tiny';
    if (points.length <= ALONE_POINTS) return 'alone';
    if (isMain) return 'far';
    return this.#isAcross(piece) ? 'across' : 'apart';
  }

  /** Whether a patch among its joint's kin is out of place. */
  #isOut(piece: Piece, { steps, surroundings }: Rim): boolean {
    const { part, joint, points, most } = piece;
    const reach = this.#reachOf(joint);
    const nearest = points.reduce((least, p) => Math.min(least, this.#distance(part, joint, p)), Infinity);
    if (nearest >= (most < FAINT ? FAINT_REACH : OUT_REACH) * reach) {
      if (steps === 2) return true;
      if (points.length > ALONE_POINTS && this.#isFartherThan(OUT_RATIO, piece)) return true;
    }
    if (points.length < LAID_POINTS) return false;
    const around = surroundings();
    if (!isLaidOn(around)) return false;
    if (this.#isOnRigid(piece)) return true;
    if (points.length >= FLAT_POINTS && isFlatlyLaidOn(around)) return true;
    // Where it leaves nothing of what it lies on, it must be nearer to other bones.
    const isAside = around.residue !== undefined && nearest >= LAID_REACH * reach;
    return isAside || this.#isFartherThan(LAID_RATIO, piece);
  }

  /** Whether a patch lies on an island that follows one other joint whole, all around it and for the most part. */
  #isOnRigid({ part, joint, points }: Piece): boolean {
    const rows = this.#input.rows[part];
    const { offsets, points: linked } = this.#neighbours[part];
    const inside = new Set(points);
    const wholeJoint = (p: number): number =>
      rows.values[p * rows.stride] >= WHOLE ? rows.joints[p * rows.stride] : -1;
    let ruler = -1;
    for (const p of points) {
      for (let e = offsets[p]; e < offsets[p + 1]; e++) {
        if (inside.has(linked[e])) continue;
        const own = wholeJoint(linked[e]);
        if (own < 0 || own === joint || (ruler >= 0 && own !== ruler)) return false;
        ruler = own;
      }
    }
    if (ruler < 0 || points.length < RIGID_POINTS) return false;
    const { ofPoint: islandOf } = (this.#islands[part] ??= findIslands(this.#neighbours[part]));
    let [count, whole] = [0, 0];
    for (let p = 0; p < rows.pointCount; p++) {
      if (islandOf[p] !== islandOf[points[0]] || inside.has(p)) continue;
      count++;
      if (wholeJoint(p) === ruler) whole++;
    }
    return points.length <= ON_RIGID_SHARE * count && whole >= RIGID_SHARE * count;
  }

  /** Whether every point of a patch is so many times as far from its joint's bone as from the nearest one. */
  #isFartherThan(ratio: number, { part, joint, points }: Piece): boolean {
    return points.every(
      (p) =>
        this.#distance(part, joint, p) >= ratio * Math.max(this.#nearest(part, p), this.#input.tolerance),
    );
  }

  #rimOf({ part, joint, points }: Piece): Rim {
    const numbers = this.#pieceOf[part] as Int32Array;
    const place: PatchPlace = {
      rows: this.#input.rows[part],
      neighbours: this.#neighbours[part],
      points,
      joint,
      counts: (node) => !this.#pieces[numbers[node]].stray,
    };
    const rulers = rulersAround(place);
    const steps = rulers.map((other) => this.#steps[joint * this.#jointCount + other]);
    return {
      steps: steps.length > 0 ? Math.min(...steps) : undefined,
      surroundings: () => compareWithRim(place),
    };
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
