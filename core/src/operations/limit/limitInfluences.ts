import { PointMovement } from '../../deform/PointMovement.ts';
import type { PosedPalettes } from '../../deform/PosedPalettes.ts';
import { CoreError } from '../../errors.ts';
import { createCandidates, normalizeCandidates } from '../../weights/normalize.ts';
import { createRows, influenceCount, type WeightRows } from '../../weights/rows.ts';
import { bestChoices, type Choice, fit, largestStay, MAX_LOOKED } from './influenceChoices.ts';

export interface LimitSubject {
  readonly positions: Float32Array;
  readonly inverseBinds: Float32Array;
  readonly rows: WeightRows;
}

export interface LimitRules {
  /** Influences a vertex. */
  readonly limit: number;
  readonly locks: Uint8Array;
}

/** Points that have too many influences, with the rows that they would get and what these cost. */
export interface LimitedPoints {
  /** Rising. */
  readonly points: Uint32Array;
  /** By listed point. */
  readonly rows: WeightRows;
  /** Float32Array: the farthest that it moves in any pose, in scene units. */
  readonly costs: Float32Array;
  /** Float32Array: the same if the smallest weights were dropped. */
  readonly plainCosts: Float32Array;
  /** Points that locked joints keep above the limit. */
  readonly held: Uint32Array;
}

/** Weights of the farthest moved points are looked for once more: those that move this share of the farthest. */
const WORST_SHARE = 0.5;
/** So many choices of influences are tried there, and weights found anew so often. */
const CHOICES = 6;
const ROUNDS = 16;
/** The watch is told after so many points. */
const CHUNK = 2000;

/**
 * Brings points within the largest number of influences, moved as little as can be in some poses: of all choices of influences
 * that stay, and weights for them, those that move a point least (least squares over the poses, weights not below zero). Where
 * a point moves far, the greatest movement is made less instead (Lawson 1961, by weighing the poses anew); and where dropping
 * the smallest weights costs no more, that is done. Locked joints keep theirs.
 *
 * @param posed  poses that the points are held against
 * @param points those to look at, rising
 * @param watch  told how far it is, 0 to 1; may throw to end it
 * @throws CoreError argument-invalid for a limit that is no whole number from 1
 */
export function limitInfluences(
  { positions, inverseBinds, rows }: LimitSubject,
  posed: PosedPalettes,
  points: Uint32Array,
  { limit, locks }: LimitRules,
  watch: (share: number) => void = () => undefined,
): LimitedPoints {
  if (!(Number.isInteger(limit) && limit >= 1))
    throw new CoreError('argument-invalid', 'The number of influences is a whole number from 1.', { limit });
  const over = points.filter((p) => influenceCount(rows, p) > limit);
  const held = over.filter((p) => lockedCount(rows, p, locks) >= limit);
  const wanting = held.length === 0 ? over : over.filter((p) => lockedCount(rows, p, locks) < limit);
  const count = wanting.length;
  const out = createRows(count, rows.stride);
  const fitting = new PointFit(new PointMovement(posed, positions, inverseBinds), posed.count, rows, {
    limit,
    locks,
  });
  const [costs, plainCosts] = [new Float32Array(count), new Float32Array(count)];
  for (let i = 0; i < count; i++) {
    if (i % CHUNK === 0) watch((0.8 * i) / count);
    fitting.look(wanting[i]);
    const plain = fitting.put(out, i, fitting.plain());
    plainCosts[i] = plain;
    costs[i] = plain > 0 ? fitting.putBetter(out, i, fitting.choices(1), plain) : plain;
  }
  const far = WORST_SHARE * costs.reduce((most, cost) => Math.max(most, cost), 0);
  for (let i = 0; i < count; i++) {
    if (i % CHUNK === 0) watch(0.8 + (0.2 * i) / count);
    if (costs[i] < far || costs[i] === 0) continue;
    fitting.look(wanting[i]);
    const refined = fitting.choices(CHOICES).map((choice) => fitting.refine(choice));
    costs[i] = fitting.putBetter(out, i, refined, costs[i]);
  }
  watch(1);
  return { points: wanting, rows: out, costs, plainCosts, held };
}

function lockedCount({ joints, values, stride }: WeightRows, point: number, locks: Uint8Array): number {
  let count = 0;
  for (let k = point * stride; k < (point + 1) * stride && values[k] !== 0; k++)
    if (locks[joints[k]]) count++;
  return count;
}

/** One point after the other, in arrays that are used again. */
class PointFit {
  readonly #movement: PointMovement;
  readonly #rows: WeightRows;
  readonly #rules: LimitRules;
  readonly #gram = new Float64Array(MAX_LOOKED * MAX_LOOKED);
  readonly #squares: Float64Array;
  readonly #importance: Float64Array;
  readonly #candidates = createCandidates(MAX_LOOKED);
  readonly #one: WeightRows;
  #joints: Uint16Array = new Uint16Array(0);
  #weights = new Float64Array(0);
  #fixed = new Uint8Array(0);

  constructor(movement: PointMovement, poses: number, rows: WeightRows, rules: LimitRules) {
    this.#movement = movement;
    this.#rows = rows;
    this.#rules = rules;
    this.#squares = new Float64Array(poses);
    this.#importance = new Float64Array(poses);
    this.#one = createRows(1, rows.stride);
  }

  look(point: number): void {
    const { stride, joints, values } = this.#rows;
    // Rows fall by weight: beyond that there is nothing to see.
    const [first, count] = [point * stride, Math.min(MAX_LOOKED, influenceCount(this.#rows, point))];
    this.#joints = joints.subarray(first, first + count);
    this.#weights = Float64Array.from(values.subarray(first, first + count));
    this.#fixed = Uint8Array.from(this.#joints, (joint) => this.#rules.locks[joint]);
    this.#movement.look(point, this.#joints, this.#weights, count);
    this.#movement.gram(this.#gram);
  }

  plain(): Choice {
    return largestStay(this.#gram, this.#weights, this.#fixed, this.#rules.limit);
  }

  choices(most: number): Choice[] {
    return bestChoices(this.#gram, this.#weights, this.#fixed, this.#rules.limit, most);
  }

  /** The same influences with weights whose greatest movement is less: poses count for more, the farther the point is off. */
  refine(choice: Choice): Choice {
    const poses = this.#movement.poseCount;
    const importance = this.#importance.subarray(0, poses).fill(1);
    const open = Array.from(this.#weights.keys()).filter((i) => !this.#fixed[i]);
    let best = choice;
    let least = this.#movement.squares(choice.weights, this.#squares);
    for (let round = 0; round < ROUNDS && least > 0; round++) {
      let sum = 0;
      for (let k = 0; k < poses; k++) sum += importance[k] *= Math.sqrt(this.#squares[k] / least) + 1e-9;
      for (let k = 0; k < poses; k++) importance[k] *= poses / sum;
      this.#movement.gram(this.#gram, importance);
      const next = fit(this.#gram, this.#weights, open, choice.kept);
      const most = this.#movement.squares(next.weights, this.#squares);
      if (most < least) [best, least] = [next, most];
    }
    this.#movement.gram(this.#gram);
    return best;
  }

  /** Writes the choice that moves the point least, if one moves it less than `cost`. @returns what it costs now */
  putBetter(out: WeightRows, at: number, choices: readonly Choice[], cost: number): number {
    let least = cost;
    for (const choice of choices) {
      const own = this.put(this.#one, 0, choice);
      if (own >= least) continue;
      least = own;
      this.put(out, at, choice);
    }
    return least;
  }

  /** Writes a choice's weights as a row. @returns how far the row moves the point at most */
  put(out: WeightRows, at: number, { weights }: Choice): number {
    const c = this.#candidates;
    c.count = 0;
    for (let i = 0; i < weights.length; i++) {
      if (!(weights[i] > 0)) continue;
      c.joints[c.count] = this.#joints[i];
      c.values[c.count++] = weights[i];
    }
    out.joints.fill(0, at * out.stride, (at + 1) * out.stride);
    out.values.fill(0, at * out.stride, (at + 1) * out.stride);
    normalizeCandidates(out, at, c, { fixed: -1, ...this.#rules });
    const written = new Float64Array(weights.length);
    for (let k = at * out.stride; k < (at + 1) * out.stride && out.values[k] !== 0; k++)
      written[this.#joints.indexOf(out.joints[k])] = out.values[k];
    return Math.sqrt(this.#movement.squares(written, this.#squares));
  }
}
