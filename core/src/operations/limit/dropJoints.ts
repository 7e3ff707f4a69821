import { PointMovement } from '../../deform/PointMovement.ts';
import type { PosedPalettes } from '../../deform/PosedPalettes.ts';
import type { Skeleton } from '../../skeleton/skeleton.ts';
import { createCandidates, normalizeCandidates } from '../../weights/normalize.ts';
import { copyRows, createRows, influenceCount, weightOf, type WeightRows } from '../../weights/rows.ts';
import { bestChoices, type Choice, fit, MAX_LOOKED } from './influenceChoices.ts';
import type { LimitSubject } from './limitInfluences.ts';

/** Points of a part that tell what a joint is worth, before it is dropped. */
const LOOKED_AT = 600;

/** One joint less. */
export interface JointDrop {
  readonly joint: number;
  /** The farthest that a point moves away from where it was with all joints, in scene units, in any pose. */
  readonly cost: number;
  /** The joint that takes most of its weight. */
  readonly receiver: number;
  /** By part: the points with new rows, rising, and these. */
  readonly rows: readonly {
    readonly part: number;
    readonly points: Uint32Array;
    readonly rows: WeightRows;
  }[];
}

export interface DropRules {
  readonly locks: Uint8Array;
  /** Joints that may go. */
  readonly mayGo: (joint: number) => boolean;
  /** Joints a part: they go until every part has no more. */
  readonly limit: number;
}

/**
 * Which joints can be done without, cheapest first, each dropped with those before it: their weight goes to the other
 * influences of each point, or to the nearest joint above that the part follows, so that the point moves least away from where it was with all joints (least
 * squares over the poses). No point gets more influences than it had.
 *
 * @param parts those that have weights
 * @param posed poses that points are held against
 * @param watch told how far it is, 0 to 1; may throw to end it
 */
export function dropJoints(
  skeleton: Skeleton,
  parts: readonly LimitSubject[],
  posed: PosedPalettes,
  { locks, mayGo, limit }: DropRules,
  watch: (share: number) => void = () => undefined,
): JointDrop[] {
  const dropping = new Dropping(skeleton, parts, posed, locks);
  const mayStillGo = new Set(dropping.weighted().filter((joint) => !locks[joint] && mayGo(joint)));
  const drops: JointDrop[] = [];
  const tried = new Map<number, number>();
  const costOf = (joint: number): number => {
    let cost = tried.get(joint);
    if (cost !== undefined) return cost;
    // Before the first one goes all are looked at, which takes long.
    if (drops.length === 0) watch((0.4 * tried.size) / mayStillGo.size);
    tried.set(joint, (cost = dropping.without(joint, LOOKED_AT).cost));
    return cost;
  };
  const atFirst = dropping.excess(limit);
  for (let over = atFirst; over > 0; over = dropping.excess(limit)) {
    if (drops.length > 0) watch(0.4 + 0.6 * (1 - over / atFirst));
    // Only those of a part that has too many help.
    const useful = dropping.weightedWhereOver(limit).filter((joint) => mayStillGo.has(joint));
    if (useful.length === 0) break;
    const best = useful.reduce((least, joint) => (costOf(joint) < costOf(least) ? joint : least));
    if (costOf(best) === Infinity) break;
    mayStillGo.delete(best);
    const taken = dropping.without(best);
    // All points are asked now, and one of them may have nobody else.
    if (taken.cost === Infinity) continue;
    // Whoever shares points with it stands otherwise now.
    for (const joint of dropping.take(best, taken)) tried.delete(joint);
    drops.push({ ...taken, joint: best, cost: Math.max(taken.cost, drops.at(-1)?.cost ?? 0) });
  }
  watch(1);
  return drops;
}

type Tried = Pick<JointDrop, 'cost' | 'receiver' | 'rows'>;

class Dropping {
  readonly #skeleton: Skeleton;
  readonly #first: readonly WeightRows[];
  readonly #rows: readonly WeightRows[];
  readonly #movements: readonly PointMovement[];
  readonly #locks: Uint8Array;
  readonly #gone = new Set<number>();
  readonly #heirs = new Map<string, number>();
  readonly #squares: Float64Array;
  readonly #gram = new Float64Array(MAX_LOOKED * MAX_LOOKED);
  readonly #candidates = createCandidates(MAX_LOOKED);

  constructor(skeleton: Skeleton, parts: readonly LimitSubject[], posed: PosedPalettes, locks: Uint8Array) {
    this.#skeleton = skeleton;
    this.#first = parts.map(({ rows }) => rows);
    this.#rows = parts.map(({ rows }) => copyRows(rows));
    this.#movements = parts.map(
      ({ positions, inverseBinds }) => new PointMovement(posed, positions, inverseBinds),
    );
    this.#locks = locks;
    this.#squares = new Float64Array(posed.count);
  }

  weighted(): number[] {
    return [...new Set(this.#rows.flatMap(jointsOf))].sort((a, b) => a - b);
  }

  /** Joints of parts that have more than so many. */
  weightedWhereOver(limit: number): number[] {
    const over = this.#rows.map(jointsOf).filter((joints) => joints.length > limit);
    return [...new Set(over.flat())].sort((a, b) => a - b);
  }

  /** How many joints the part with most has beyond a limit. */
  excess(limit: number): number {
    return Math.max(0, ...this.#rows.map((rows) => jointsOf(rows).length - limit));
  }

  /**
   * What it costs to do without a joint, and the rows then.
   * @param most points that are looked at, evenly over all, where that is only to be compared
   */
  without(joint: number, most = Infinity): Tried {
    const receivers = new Map<number, number>();
    let cost = 0;
    const rows = this.#rows.flatMap((own, part) => {
      const all = pointsOf(own, joint);
      const step = Math.ceil(all.length / most);
      const points = step > 1 ? all.filter((_, i) => i % step === 0) : all;
      if (points.length === 0) return [];
      const out = createRows(points.length, own.stride);
      points.forEach((point, i) => {
        cost = Math.max(cost, this.#refit(part, point, joint, out, i));
        for (let k = i * out.stride; k < (i + 1) * out.stride && out.values[k] !== 0; k++) {
          const more = out.values[k] - weightOf(own, point, out.joints[k]);
          if (more > 0) receivers.set(out.joints[k], (receivers.get(out.joints[k]) ?? 0) + more);
        }
      });
      return [{ part, points, rows: out }];
    });
    const [receiver] = [...receivers].sort((a, b) => b[1] - a[1] || a[0] - b[0]).at(0) ?? [-1];
    return { cost, receiver, rows };
  }

  /** Does without it from now on. @returns joints that have weight on its points */
  take(joint: number, { rows }: Tried): Set<number> {
    this.#gone.add(joint);
    const touched = new Set<number>();
    for (const { part, points, rows: own } of rows) {
      const { joints, values, stride } = this.#rows[part];
      points.forEach((point, i) => {
        joints.set(own.joints.subarray(i * stride, (i + 1) * stride), point * stride);
        values.set(own.values.subarray(i * stride, (i + 1) * stride), point * stride);
        for (let k = point * stride; k < (point + 1) * stride && values[k] !== 0; k++) touched.add(joints[k]);
      });
    }
    return touched;
  }

  #refit(part: number, point: number, gone: number, out: WeightRows, at: number): number {
    const [first, rows, movement] = [this.#first[part], this.#rows[part], this.#movements[part]];
    const joints = this.#jointsAt(first, rows, point, gone);
    const n = joints.length;
    const was = joints.map((joint) => weightOf(first, point, joint));
    const weights = Float64Array.from(joints, (joint) => (joint === gone ? 0 : weightOf(rows, point, joint)));
    const fixed = Uint8Array.from(joints, (joint) => this.#locks[joint]);
    movement.look(point, joints, was, n);
    movement.gram(this.#gram);
    const open = joints.flatMap((joint, i) =>
      fixed[i] || joint === gone || this.#gone.has(joint) ? [] : [i],
    );
    // Nobody may take what it would leave: it has to stay.
    if (open.length === 0) return Infinity;
    const choice = this.#choose(
      weights,
      fixed,
      open,
      weightOf(rows, point, gone),
      influenceCount(rows, point),
    );
    const c = this.#candidates;
    c.count = 0;
    joints.forEach((joint, i) => {
      if (!(choice.weights[i] > 0)) return;
      c.joints[c.count] = joint;
      c.values[c.count++] = choice.weights[i];
    });
    normalizeCandidates(out, at, c, { fixed: -1, limit: rows.stride, locks: this.#locks });
    const written = joints.map((joint) => weightOf(out, at, joint));
    return Math.sqrt(movement.squares(written, this.#squares));
  }

  #choose(weights: Float64Array, fixed: Uint8Array, open: number[], freed: number, limit: number): Choice {
    // What is freed goes to all alike first; where it does least harm is found from there.
    const share = freed / Math.max(1, open.length);
    for (const i of open) weights[i] += share;
    const plain = fit(this.#gram, weights, open, open);
    if (plain.kept.filter((i) => plain.weights[i] > 1e-4).length <= limit) return plain;
    const closed = Uint8Array.from(weights, (_, i) => (fixed[i] || !open.includes(i) ? 1 : 0));
    const held = closed.reduce((sum, one) => sum + one, 0);
    return bestChoices(this.#gram, weights, closed, held + limit, 1).at(0) ?? plain;
  }

  /** The joints that a point had, those that it has, and the one that inherits where another is needed. */
  #jointsAt(first: WeightRows, rows: WeightRows, point: number, gone: number): number[] {
    const joints = new Set<number>();
    for (const own of [first, rows])
      for (let k = point * own.stride; k < (point + 1) * own.stride && own.values[k] !== 0; k++)
        joints.add(own.joints[k]);
    const heir = this.#heir(rows, gone);
    if (heir >= 0) joints.add(heir);
    return [...joints].slice(0, MAX_LOOKED);
  }

  /**
   * Who may take weight that nobody else has: the nearest joint above that the part follows anyway and that is
   * not locked; else one below, or any.
   */
  #heir(rows: WeightRows, gone: number): number {
    const key = `${this.#rows.indexOf(rows)} ${gone} ${this.#gone.size}`;
    let heir = this.#heirs.get(key);
    if (heir === undefined) this.#heirs.set(key, (heir = this.#findHeir(rows, gone)));
    return heir;
  }

  #findHeir(rows: WeightRows, gone: number): number {
    const { joints } = this.#skeleton;
    const left = jointsOf(rows).filter((joint) => joint !== gone && !this.#locks[joint]);
    const isBelow = (joint: number): boolean => {
      for (let at = joints[joint].parent; at >= 0; at = joints[at].parent) if (at === gone) return true;
      return false;
    };
    for (let above = joints[gone].parent; above >= 0; above = joints[above].parent)
      if (left.includes(above)) return above;
    return left.find(isBelow) ?? left.at(0) ?? -1;
  }
}

function jointsOf({ joints, values }: WeightRows): number[] {
  const has = new Set<number>();
  for (let i = 0; i < values.length; i++) if (values[i] > 0) has.add(joints[i]);
  return [...has];
}

function pointsOf({ joints, values, stride, pointCount }: WeightRows, joint: number): Uint32Array {
  const found: number[] = [];
  for (let p = 0; p < pointCount; p++)
    for (let k = p * stride; k < (p + 1) * stride && values[k] !== 0; k++)
      if (joints[k] === joint) {
        found.push(p);
        break;
      }
  return Uint32Array.from(found);
}
