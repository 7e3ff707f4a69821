import { mat4, vec3 } from 'gl-matrix';
import { type MotionRange, rangePoses } from '../../animation/motionRange.ts';
import { PosedPalettes } from '../../deform/PosedPalettes.ts';
import type { CharacterPart } from '../../document/character.ts';
import { boundPositions } from '../../document/space/boundSpace.ts';
import { CoreError } from '../../errors.ts';
import type { PointMask } from '../../mesh/masks.ts';
import { findNeighbours } from '../../mesh/topology.ts';
import type { Neighbours } from '../../mesh/neighbours.ts';
import { subtreeOf, type Skeleton } from '../../skeleton/skeleton.ts';
import { areasOf, mayWeigh, type Confines } from '../../weights/confines.ts';
import { apply, type Change, differingRows, isEmpty } from '../../weights/delta.ts';
import { rewritePoints } from '../../weights/rewritePoints.ts';
import { copyRows, influenceCount, type WeightRows } from '../../weights/rows.ts';
import { bendSurroundings } from './bendSurroundings.ts';
import { movesElsewhere } from './movesElsewhere.ts';
import { settlePart, type SettledWeights } from './settlePart.ts';

export interface CureSubject {
  readonly parts: readonly Pick<
    CharacterPart,
    'positions' | 'inverseBinds' | 'pointCount' | 'polygonOffsets' | 'polygonPoints' | 'role'
  >[];
  readonly skeleton: Skeleton;
  readonly rows: readonly WeightRows[];
}

/** Who says how bad bends are; holds weights of its own. */
export interface BendJudge {
  setRows(rows: readonly WeightRows[]): void;
  /** What a joint's turn deforms. */
  regionsOf(joint: number): readonly { readonly part: number; readonly points: Uint32Array }[];
  /** The damage of a joint's bends over its range, all together. */
  damageOf(joint: number): number;
}

export interface CureRequest {
  /** Whose bends are to be cured. */
  readonly joints: readonly number[];
  /** By part, the points that may change; all without. */
  readonly within?: ReadonlyMap<number, PointMask>;
  readonly limit: number;
  readonly locks: Uint8Array;
  readonly confines?: Confines;
}

/** What a cure did to a joint's bends: their damage, all poses of its range together. */
export interface CuredJoint {
  readonly joint: number;
  readonly before: number;
  readonly after: number;
}

export interface Cure {
  readonly change: Change;
  /** Those that were asked for first, in their order; then others whose bends changed. */
  readonly joints: readonly CuredJoint[];
}

const EVENNESS = 0.1;
const HABIT = 0.01;
/** So many places over all poses are held at a time; more are cured joint by joint. */
const MAX_PLACES = 6_000_000;
/** A joint's bends may get worse by this share, and by this share of the worst joint's. */
const WORSE = 1.01;
const UNSEEN = 0.001;
/** Where a bend gets worse, half of the change is taken back, so often; then all of it. */
const RETREATS = 4;

/**
 * Weights that cure bends: see WeightSettler. Only points about the bends change; what joints move stays as much as it was; no
 * joint's bends get worse by more than two in a hundred, for where one would, the change is taken back as far as is needed.
 *
 * @param ranges how joints move: every one that tells the weights at a point apart has a say
 * @param watch  told how far it is, 0 to 1; may throw to end it
 * @throws CoreError argument-invalid where none of the joints bends anything that may change
 */
export function cureBends(
  subject: CureSubject,
  ranges: readonly MotionRange[],
  judge: BendJudge,
  request: CureRequest,
  watch: (share: number) => void = () => undefined,
): Cure {
  const cure = new BendCure(subject, ranges, judge, request);
  const all = cure.pointsOf(request.joints);
  if (all.size === 0)
    throw new CoreError(
      'argument-invalid',
      'Nothing bends there that may change: choose a joint that bends a surface, and see that it is not locked or left out of the selection.',
    );
  const steps = cure.fits(all) ? [request.joints] : request.joints.map((joint) => [joint]);
  steps.forEach((joints, i) => {
    cure.settle(cure.pointsOf(joints), (share) => watch((0.85 * (i + share)) / steps.length));
  });
  return cure.finish((share) => watch(0.85 + 0.15 * share));
}

class BendCure {
  readonly #subject: CureSubject;
  readonly #ranges: readonly MotionRange[];
  readonly #judge: BendJudge;
  readonly #request: CureRequest;
  readonly #neighbours = new Map<number, Neighbours>();
  readonly #subtrees = new Map<number, Uint8Array>();
  readonly #rests = new Map<number, Float32Array>();
  readonly #isOpenAnywhere: Uint8Array;
  /** As they are found. */
  readonly #rows: readonly WeightRows[];

  constructor(subject: CureSubject, ranges: readonly MotionRange[], judge: BendJudge, request: CureRequest) {
    this.#subject = subject;
    this.#ranges = ranges;
    this.#judge = judge;
    this.#request = request;
    this.#rows = subject.rows.map(copyRows);
    this.#isOpenAnywhere = Uint8Array.from(subject.skeleton.joints, ({ removed }, joint) =>
      removed || request.locks[joint] ? 0 : 1,
    );
    judge.setRows(subject.rows);
  }

  /** By part, the points about joints' bends that may change, rising. */
  pointsOf(joints: readonly number[]): Map<number, Uint32Array> {
    const found = new Map<number, Set<number>>();
    for (const joint of joints)
      for (const { part, points } of this.#judge.regionsOf(joint)) {
        const own = found.get(part) ?? new Set<number>();
        const mask = this.#request.within?.get(part);
        const { stride, values } = this.#subject.rows[part];
        if (this.#request.within && !mask) continue;
        const place = this.#boundPlace(part, joint);
        const about = bendSurroundings(this.#restOf(part), this.#neighboursOf(part), points, place);
        for (const p of about) if ((!mask || mask[p] === 1) && values[p * stride] > 0) own.add(p);
        found.set(part, own);
      }
    return new Map(
      [...found].filter(([, own]) => own.size > 0).map(([part, own]) => [part, Uint32Array.from(own).sort()]),
    );
  }

  /** Where a joint stood when a part was bound to it, in the scene; at the origin where its bind matrix tells none. */
  #boundPlace(part: number, joint: number): vec3 {
    const { inverseBinds } = this.#subject.parts[part];
    const bound = mat4.invert(mat4.create(), inverseBinds.subarray(joint * 16, joint * 16 + 16));
    if (!bound) return vec3.create();
    mat4.multiply(bound, inverseBinds.subarray(inverseBinds.length - 16), bound);
    return mat4.getTranslation(vec3.create(), bound);
  }

  /** Whether there is room for all of it at once. */
  fits(points: ReadonlyMap<number, Uint32Array>): boolean {
    return [...points].every(
      ([part, own]) => own.length * 8 * this.#rangesAt(part, own).length <= MAX_PLACES,
    );
  }

  /** The ranges that tell the joints at points apart. */
  #rangesAt(part: number, points: Uint32Array): MotionRange[] {
    const { rows } = this.#subject;
    const { joints, stride } = rows[part];
    const used = new Set<number>();
    const { offsets, points: next } = this.#neighboursOf(part);
    const take = (p: number): void => {
      for (let k = p * stride, end = k + influenceCount(rows[part], p); k < end; k++) used.add(joints[k]);
    };
    for (const p of points) {
      take(p);
      for (let n = offsets[p]; n < offsets[p + 1]; n++) take(next[n]);
    }
    const [first, ...others] = used;
    return this.#ranges.filter(({ joint }) => {
      const moved = this.#subtreeOf(joint);
      return others.some((each) => moved[each] !== moved[first]);
    });
  }

  #subtreeOf(joint: number): Uint8Array {
    let own = this.#subtrees.get(joint);
    if (!own) {
      own = new Uint8Array(this.#subject.skeleton.joints.length);
      for (const each of subtreeOf(this.#subject.skeleton, joint)) own[each] = 1;
      this.#subtrees.set(joint, own);
    }
    return own;
  }

  #restOf(part: number): Float32Array {
    const own = this.#rests.get(part) ?? boundPositions(this.#subject.parts[part]);
    this.#rests.set(part, own);
    return own;
  }

  #neighboursOf(part: number): Neighbours {
    let own = this.#neighbours.get(part);
    if (!own) {
      const { polygonOffsets: offsets, polygonPoints: points, pointCount } = this.#subject.parts[part];
      own = findNeighbours({ offsets, points }, pointCount);
      this.#neighbours.set(part, own);
    }
    return own;
  }

  settle(points: ReadonlyMap<number, Uint32Array>, watch: (share: number) => void): void {
    const total = [...points.values()].reduce((sum, own) => sum + own.length, 0);
    let done = 0;
    for (const [part, own] of points) {
      this.#settlePart(part, own, (share) => watch((done + share * own.length) / total));
      done += own.length;
    }
  }

  #settlePart(part: number, points: Uint32Array, watch: (share: number) => void): void {
    const { limit, locks, confines } = this.#request;
    const poses = this.#rangesAt(part, points).flatMap(rangePoses);
    if (poses.length === 0) return;
    const { positions, inverseBinds } = this.#subject.parts[part];
    const areas = areasOf(confines, part);
    const own = { positions, inverseBinds, rows: this.#rows[part], rest: this.#restOf(part) };
    const posed = new PosedPalettes(
      this.#subject.skeleton,
      poses.map(({ pose }) => pose),
    );
    const turned = Int32Array.from(poses, ({ joint }) => joint);
    const isListed = new Uint8Array(this.#rows[part].pointCount);
    for (const p of points) isListed[p] = 1;
    const settled = settlePart(
      { ...own, neighbours: this.#neighboursOf(part) },
      posed,
      points,
      {
        ...{ limit, locks, turned, evenness: EVENNESS, habit: HABIT },
        elsewhere: movesElsewhere(own, posed, isListed, turned),
        isOpen: (joint, point) => this.#isOpenAnywhere[joint] === 1 && mayWeigh(areas, joint, point),
      },
      watch,
    );
    this.#put(part, points, settled);
  }

  #put(part: number, points: Uint32Array, { joints, weights }: SettledWeights): void {
    const at = new Map(Array.from(points, (p, i) => [p, i]));
    const { delta } = rewritePoints(part, this.#rows[part], points, this.#request, (p, c) => {
      const i = at.get(p) ?? 0;
      for (let k = joints.offsets[i]; k < joints.offsets[i + 1]; k++) {
        if (!(weights[k] > 0)) continue;
        c.joints[c.count] = joints.joints[k];
        c.values[c.count++] = weights[k];
      }
    });
    apply(this.#rows, [delta]);
  }

  /** Takes back what makes a bend worse, and says what was done. */
  finish(watch: (share: number) => void): Cure {
    const whole = this.#difference(undefined);
    const touched = this.#jointsTouched(whole);
    this.#judge.setRows(this.#subject.rows);
    const before = new Map(touched.map((joint) => [joint, this.#judge.damageOf(joint)]));
    watch(0.3);
    const most = Math.max(0, ...before.values());
    const amounts = new Map(whole.map(({ part, points }) => [part, new Float32Array(points.length).fill(1)]));
    let change = whole;
    let after = new Map<number, number>();
    for (let retreat = 0; retreat <= RETREATS; retreat++) {
      const rows = this.#subject.rows.map(copyRows);
      apply(rows, change);
      this.#judge.setRows(rows);
      after = new Map(touched.map((joint) => [joint, this.#judge.damageOf(joint)]));
      watch(0.3 + (0.7 * (retreat + 1)) / (RETREATS + 1));
      const worse = touched.filter(
        (joint) => (after.get(joint) ?? 0) > WORSE * (before.get(joint) ?? 0) + UNSEEN * most,
      );
      if (worse.length === 0 || retreat === RETREATS) break;
      for (const joint of worse) this.#retreat(joint, whole, amounts, retreat === RETREATS - 1 ? 0 : 0.5);
      change = this.#difference(amounts, whole);
    }
    return { change, joints: this.#report(touched, before, after) };
  }

  #report(
    touched: readonly number[],
    before: ReadonlyMap<number, number>,
    after: ReadonlyMap<number, number>,
  ): CuredJoint[] {
    const asked = new Set(this.#request.joints);
    const order = [
      ...this.#request.joints.filter((joint) => before.has(joint)),
      ...touched.filter((joint) => !asked.has(joint)),
    ];
    return order.map((joint) => ({
      joint,
      before: before.get(joint) ?? 0,
      after: after.get(joint) ?? 0,
    }));
  }

  /** Less of the change about a joint's bend. */
  #retreat(joint: number, whole: Change, amounts: ReadonlyMap<number, Float32Array>, by: number): void {
    for (const { part, points } of this.#judge.regionsOf(joint)) {
      const own = amounts.get(part);
      const listed = whole.find((delta) => delta.part === part)?.points;
      if (!own || !listed) continue;
      const about = new Set(points);
      listed.forEach((p, i) => {
        if (about.has(p)) own[i] *= by;
      });
    }
  }

  /** Joints whose bends reach a changed point, before or now. */
  #jointsTouched(change: Change): number[] {
    const changed = new Map(change.map(({ part, points }) => [part, new Set(points)]));
    const isTouched = ({ joint }: MotionRange): boolean =>
      this.#judge
        .regionsOf(joint)
        .some(({ part, points }) => points.some((p) => changed.get(part)?.has(p) ?? false));
    const found = new Set<number>();
    for (const rows of [this.#subject.rows, this.#rows]) {
      this.#judge.setRows(rows);
      for (const range of this.#ranges)
        if (!found.has(range.joint) && isTouched(range)) found.add(range.joint);
    }
    return this.#ranges.flatMap(({ joint }) => (found.has(joint) ? [joint] : []));
  }

  /** From the weights that came to those that were found, or a share of the way, by point of `whole`. */
  #difference(amounts: ReadonlyMap<number, Float32Array> | undefined, whole?: Change): Change {
    return this.#subject.rows.flatMap((rows, part) => {
      const now = this.#rows[part];
      const listed =
        whole?.find((delta) => delta.part === part)?.points ?? numbersOfOnes(differingRows(rows, now));
      const own = amounts?.get(part);
      const at = own && new Map(Array.from(listed, (p, i) => [p, i]));
      const { delta } = rewritePoints(part, rows, listed, this.#request, (p, c) => {
        const amount = own && at ? own[at.get(p) ?? 0] : 1;
        const share = new Map<number, number>();
        const add = (from: WeightRows, by: number): void => {
          for (let k = p * from.stride, end = k + influenceCount(from, p); k < end && by > 0; k++)
            share.set(from.joints[k], (share.get(from.joints[k]) ?? 0) + by * from.values[k]);
        };
        add(now, amount);
        add(rows, 1 - amount);
        for (const [joint, value] of share) {
          if (this.#request.locks[joint]) continue;
          c.joints[c.count] = joint;
          c.values[c.count++] = value;
        }
      });
      return isEmpty([delta]) ? [] : [delta];
    });
  }
}

function numbersOfOnes(flags: Uint8Array): Uint32Array {
  const found: number[] = [];
  flags.forEach((flag, p) => {
    if (flag === 1) found.push(p);
  });
  return Uint32Array.from(found);
}
