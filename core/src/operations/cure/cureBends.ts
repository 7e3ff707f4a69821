import { mat4, vec3 } from 'gl-matrix';
import { type MotionRange, rangePoses } from '../../animation/motionRange.ts';
import { PosedPalettes } from '../../deform/PosedPalettes.ts';
import type { CharacterPart } from '../../document/character.ts';
import { boundPositions } from '../../document/space/boundSpace.ts';
import { anchorsOfPoints, type Drawing } from '../../drawing/index.ts';
import { CoreError } from '../../errors.ts';
import type { PointMask } from '../../mesh/masks.ts';
import { findNeighbours } from '../../mesh/topology.ts';
import type { Neighbours } from '../../mesh/neighbours.ts';
import { subtreeOf, type Skeleton } from '../../skeleton/skeleton.ts';
import { areasOf, mayWeigh, type Confines } from '../../weights/confines.ts';
import { apply, type Change, differingRows, isEmpty } from '../../weights/delta.ts';
import { FollowingHandles } from '../../weights/followingHandles.ts';
import { rewritePoints } from '../../weights/rewritePoints.ts';
import { copyRows, influenceCount, weightOf, type WeightRows } from '../../weights/rows.ts';
import type { BendJudge } from './BendJudge.ts';
import { bendSurroundings, thicknessAt } from './bendSurroundings.ts';
import { findHarm } from './findHarm.ts';
import { JointSums } from './JointSums.ts';
import { movesElsewhere } from './movesElsewhere.ts';
import { shareOf } from './shareOf.ts';
import { type BendLacks, findBetterPlace, findScarceRings } from './bendLacks.ts';
import { settlePart, type SettledWeights } from './settlePart.ts';

export interface CureSubject {
  readonly parts: readonly Pick<
    CharacterPart,
    'positions' | 'inverseBinds' | 'pointCount' | 'polygonOffsets' | 'polygonPoints' | 'role' | 'vertexPoint'
  >[];
  /** Of a flat character: its handles go along with their anchors. */
  readonly drawing?: Drawing;
  readonly skeleton: Skeleton;
  readonly rows: readonly WeightRows[];
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
  /** Of those that were asked for and stayed bad: what they lack. */
  readonly lacks: readonly BendLacks[];
}

const EVENNESS = 0.1;
const HABIT = 0.01;
const STRANGENESS = 0.15;
/** Joints that a point did not have get at least this much of it, or nothing. */
const MIN_NEW = 0.01;
/** So many places over all poses are held at a time; more are cured joint by joint. */
const MAX_PLACES = 6_000_000;
/** A joint's bends may get worse by this share; and by this share of all that was gained where nothing else can be done. */
const WORSE = 1.018;
const UNSEEN = 1e-3;
/** Taking back may cost so many times what it mends. */
const DEAR = 20;
/** What is less than this share is rounding. */
const ROUNDING = 1e-5;
/** Where a bend gets worse, change is taken back by steps: so much of it stays, where it harms, at last wherever the joint bends. */
const RETREATS = [
  { stays: 0.5, isWhole: false },
  { stays: 0, isWhole: false },
  { stays: 0.5, isWhole: true },
  { stays: 0, isWhole: true },
];
/** A bend that is left with more than this share of its damage is not cured; so many are looked into. */
const CURED = 0.35;
const MOST_LACKS = 4;
/** Shares that differ by less are the same: sums of rounded weights. */
const UNMOVED = 1e-6;

/**
 * Weights that cure bends: see settleWeights. Only points about the bends change; what joints move stays as much as it was; no
 * joint's bends get worse by more than two in a hundred, for where one would, the change is taken back as far as is needed.
 *
 * @param ranges how joints move: every one that tells the weights at a point apart has a say
 * @param watch  told how far it is, 0 to 1; may throw to end it
 * @throws CoreError argument-invalid where none of the joints bends anything that may change
 */
export async function cureBends(
  subject: CureSubject,
  ranges: readonly MotionRange[],
  judge: BendJudge,
  request: CureRequest,
  watch: (share: number) => void = () => undefined,
): Promise<Cure> {
  const cure = new BendCure(subject, ranges, judge, request);
  const all = cure.pointsOf(request.joints);
  if (all.size === 0)
    throw new CoreError(
      'argument-invalid',
      'Nothing bends there that may change: choose a joint that bends a surface, and see that it is not locked or left out of the selection.',
    );
  const steps = cure.fits(all) ? [request.joints] : request.joints.map((joint) => [joint]);
  for (const [i, joints] of steps.entries())
    await cure.settle(cure.pointsOf(joints), (share) => watch((0.85 * (i + share)) / steps.length));
  return cure.finish((share) => watch(0.85 + 0.15 * share));
}

/** What of a cure is taken. */
interface Taken {
  /** By part: how much of the whole change, one number a point of it. */
  readonly amounts: ReadonlyMap<number, Float32Array>;
  readonly change: Change;
  readonly rows: readonly WeightRows[];
  /** By joint that is touched: its damage. */
  readonly after: ReadonlyMap<number, number>;
}

const total = (damages: ReadonlyMap<number, number>): number =>
  [...damages.values()].reduce((sum, damage) => sum + damage, 0);

class BendCure {
  readonly #subject: CureSubject;
  readonly #ranges: readonly MotionRange[];
  readonly #judge: BendJudge;
  readonly #request: CureRequest;
  readonly #neighbours = new Map<number, Neighbours>();
  readonly #subtrees = new Map<number, Uint8Array>();
  readonly #rests = new Map<number, Float32Array>();
  readonly #isOpenAnywhere: Uint8Array;
  /** By part: the handles that have what their anchors have. */
  readonly #handles: readonly (FollowingHandles | undefined)[];
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
    this.#handles = subject.parts.map(({ vertexPoint, pointCount }, part) =>
      subject.drawing && subject.parts[part].role === 'skinned'
        ? new FollowingHandles(
            anchorsOfPoints(subject.drawing.layers[part], vertexPoint, pointCount),
            subject.rows[part],
          )
        : undefined,
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
        const handles = this.#handles[part];
        for (const p of about)
          if ((!mask || mask[p] === 1) && values[p * stride] > 0 && !handles?.follows(p)) own.add(p);
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

  async settle(points: ReadonlyMap<number, Uint32Array>, watch: (share: number) => void): Promise<void> {
    const total = [...points.values()].reduce((sum, own) => sum + own.length, 0);
    let done = 0;
    for (const [part, own] of points) {
      await this.#settlePart(part, own, (share) => watch((done + share * own.length) / total));
      done += own.length;
    }
  }

  async #settlePart(part: number, points: Uint32Array, watch: (share: number) => void): Promise<void> {
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
    const settled = await settlePart(
      { ...own, neighbours: this.#neighboursOf(part) },
      posed,
      points,
      {
        ...{ limit, locks, turned, evenness: EVENNESS, habit: HABIT, strangeness: STRANGENESS },
        parents: Int32Array.from(this.#subject.skeleton.joints, ({ parent }) => parent),
        elsewhere: movesElsewhere(own, posed, isListed, turned),
        isOpen: (joint, point) => this.#isOpenAnywhere[joint] === 1 && mayWeigh(areas, joint, point),
      },
      watch,
    );
    this.#put(part, points, settled);
  }

  #put(part: number, points: Uint32Array, { joints, weights }: SettledWeights): void {
    const at = numberedIn(points, this.#rows[part].pointCount);
    const all = this.#withHandles(part, points, (handle, anchor) => (at[handle] = at[anchor]));
    const { delta } = rewritePoints(part, this.#rows[part], all, this.#request, (p, c) => {
      const i = at[p];
      for (let k = joints.offsets[i]; k < joints.offsets[i + 1]; k++) {
        if (!(weights[k] > 0)) continue;
        if (weights[k] < MIN_NEW && weightOf(this.#rows[part], p, joints.joints[k]) === 0) continue;
        c.joints[c.count] = joints.joints[k];
        c.values[c.count++] = weights[k];
      }
    });
    apply(this.#rows, [delta]);
  }

  /** Points with the handles that go along with them, rising. */
  #withHandles(
    part: number,
    points: Uint32Array,
    each: (handle: number, anchor: number) => void,
  ): Uint32Array {
    const handles = this.#handles[part];
    if (!handles) return points;
    const all = [...points];
    const mask = this.#request.within?.get(part);
    for (const anchor of points)
      for (const handle of handles.of(anchor)) {
        if (mask?.[handle] === 0) continue;
        all.push(handle);
        each(handle, anchor);
      }
    return new Uint32Array(all).sort();
  }

  /** Takes back what makes a bend worse, and says what was done. */
  finish(watch: (share: number) => void): Cure {
    const whole = this.#difference(undefined);
    const touched = this.#jointsBetween(this.#subject.rows, this.#rows, whole);
    this.#judge.setRows(this.#subject.rows);
    const before = this.#damages(touched, (share) => watch(0.4 * share));
    this.#judge.setRows(this.#rows);
    const after = this.#damages(touched, (share) => watch(0.4 + 0.4 * share));
    const amounts = new Map(whole.map(({ part, points }) => [part, new Float32Array(points.length).fill(1)]));
    let taken: Taken = { amounts, change: whole, rows: this.#rows, after };
    const gained = Math.max(0, total(before) - total(after));
    let isDear = false;
    RETREATS.forEach(({ stays, isWhole }, step) => {
      watch(0.8 + (0.2 * step) / RETREATS.length);
      const mayRise = (isWhole ? UNSEEN : ROUNDING) * gained;
      const rise = (joint: number): number =>
        (taken.after.get(joint) ?? 0) - WORSE * (before.get(joint) ?? 0);
      const worse = touched.filter((joint) => rise(joint) > mayRise);
      if (worse.length === 0 || (isDear && !isWhole)) return;
      const where = isWhole
        ? worse.map((joint) => this.#regionOf(joint))
        : findHarm(this.#judge, worse, this.#request.joints, this.#subject.rows, taken.rows, (part) =>
            this.#neighboursOf(part),
          );
      const less = this.#takeBack(whole, taken, stays, where);
      // Where a place hangs together with one that was mended, all of that may come back.
      const mended = worse.reduce((sum, joint) => sum + rise(joint), 0);
      isDear = !isWhole && total(less.after) - total(taken.after) > DEAR * mended;
      if (!isDear) taken = less;
      else this.#judge.setRows(taken.rows);
    });
    const done = this.#report(touched, before, taken.after);
    return { change: taken.change, joints: done, lacks: this.#lacksOf(done, taken.rows) };
  }

  /** What the worst of the bends lack that were asked for and are not cured; the judge has these rows. */
  #lacksOf(joints: readonly CuredJoint[], rows: readonly WeightRows[]): BendLacks[] {
    const asked = new Set(this.#request.joints);
    return joints
      .filter(({ joint, before, after }) => asked.has(joint) && after > CURED * before)
      .sort((a, b) => b.after - a.after)
      .slice(0, MOST_LACKS)
      .map(({ joint }) => this.#lackOf(joint, rows))
      .filter(({ place, rings }) => place ?? rings);
  }

  #lackOf(joint: number, rows: readonly WeightRows[]): BendLacks {
    const regions = this.#judge.regionsOf(joint);
    const [{ part, points }] = [...regions].sort((a, b) => b.points.length - a.points.length);
    const surface = {
      part,
      rest: this.#restOf(part),
      neighbours: this.#neighboursOf(part),
      rows: rows[part],
    };
    const stands = this.#boundPlace(part, joint);
    const radius = thicknessAt(surface.rest, points, stands);
    return {
      joint,
      place: findBetterPlace(radius, (offset) => this.#judge.damageOf(joint, offset)),
      rings: findScarceRings(surface, points, stands, radius, this.#subtreeOf(joint)),
    };
  }

  #damages(joints: readonly number[], watch: (share: number) => void = () => undefined): Map<number, number> {
    return new Map(
      joints.map((joint, i) => {
        watch(i / joints.length);
        return [joint, this.#judge.damageOf(joint)];
      }),
    );
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

  #regionOf(joint: number): Map<number, Float32Array> {
    return new Map(
      this.#judge.regionsOf(joint).map(({ part, points }) => {
        const own = new Float32Array(this.#rows[part].pointCount);
        for (const p of points) own[p] = 1;
        return [part, own];
      }),
    );
  }

  /** Less of the change. @param where by joint, by part: one number a point, 0 to 1 */
  #takeBack(
    whole: Change,
    taken: Taken,
    stays: number,
    where: readonly ReadonlyMap<number, Float32Array>[],
  ): Taken {
    const amounts = new Map([...taken.amounts].map(([part, own]) => [part, own.slice()]));
    for (const { part, points } of whole) {
      const own = amounts.get(part);
      if (!own) continue;
      for (const each of where) {
        const about = each.get(part);
        if (about) points.forEach((p, i) => (own[i] *= 1 - about[p] * (1 - stays)));
      }
      const at = numberedIn(points, this.#rows[part].pointCount);
      this.#withHandles(part, points, (handle, anchor) => {
        if (points[at[handle]] === handle) own[at[handle]] = own[at[anchor]];
      });
    }
    const change = this.#difference(amounts, whole);
    const rows = this.#subject.rows.map(copyRows);
    apply(rows, change);
    this.#judge.setRows(rows);
    const again = this.#jointsBetween(taken.rows, rows, whole);
    return { amounts, change, rows, after: new Map([...taken.after, ...this.#damages(again)]) };
  }

  /** Joints whose turns move some of a change's points otherwise with one set of rows than with another. */
  #jointsBetween(from: readonly WeightRows[], to: readonly WeightRows[], change: Change): number[] {
    return this.#ranges
      .map(({ joint }) => joint)
      .filter((joint) => {
        const moves = this.#subtreeOf(joint);
        return change.some(({ part, points }) =>
          points.some((p) => Math.abs(shareOf(from[part], p, moves) - shareOf(to[part], p, moves)) > UNMOVED),
        );
      });
  }

  /** From the weights that came to those that were found, or a share of the way, by point of `whole`. */
  #difference(amounts: ReadonlyMap<number, Float32Array> | undefined, whole?: Change): Change {
    const sums = new JointSums(this.#subject.skeleton.joints.length);
    return this.#subject.rows.flatMap((rows, part) => {
      const now = this.#rows[part];
      const listed =
        whole?.find((delta) => delta.part === part)?.points ?? numbersOfOnes(differingRows(rows, now));
      const own = amounts?.get(part);
      const at = numberedIn(listed, rows.pointCount);
      const { delta } = rewritePoints(part, rows, listed, this.#request, (p, c) => {
        const amount = own ? own[at[p]] : 1;
        sums.clear();
        if (amount > 0) sums.addRow(now, p, amount);
        if (amount < 1) sums.addRow(rows, p, 1 - amount);
        for (let k = 0; k < sums.count; k++) {
          const joint = sums.joints[k];
          if (this.#request.locks[joint]) continue;
          c.joints[c.count] = joint;
          c.values[c.count++] = sums.of(joint);
        }
      });
      return isEmpty([delta]) ? [] : [delta];
    });
  }
}

/** By point of a part: where a list has it. */
function numberedIn(list: Uint32Array, pointCount: number): Uint32Array {
  const numbers = new Uint32Array(pointCount);
  list.forEach((p, i) => (numbers[p] = i));
  return numbers;
}

function numbersOfOnes(flags: Uint8Array): Uint32Array {
  const found: number[] = [];
  flags.forEach((flag, p) => {
    if (flag === 1) found.push(p);
  });
  return new Uint32Array(found);
}
