import type { PosedPalettes } from '../../deform/PosedPalettes.ts';
import { copyRow } from '../../weights/delta.ts';
import { createRows, influenceCount, type WeightRows } from '../../weights/rows.ts';
import { type PointJoints, spreadJoints } from './candidates.ts';
import { coarsen, type CoarseSurface, withRings } from './coarsen.ts';
import { jointsIn, JointSums } from './JointSums.ts';
import { MAX_SETTLED } from './ShareSolver.ts';
import { type SettleRules, type SettleSubject, settleWeights } from './settleWeights.ts';

/** Weights of listed points, by joint, as they were found. */
export interface SettledWeights {
  readonly joints: PointJoints;
  readonly weights: Float64Array;
}

export interface PartRules extends SettleRules {
  /** Whether a joint may get weight at a point that it has none at. */
  readonly isOpen: (joint: number, point: number) => boolean;
}

/** Surfaces with more listed points than this are first settled from farther away. */
const MAX_DIRECT = 150;
/** Settling fewer points is worth it where there are at most this share of them. */
const MAX_COARSE = 0.7;
/** Rings that a point of the farther surface stands for. */
const PATCH_RINGS = 1;
const SWEEPS = 16;
const FINE_SWEEPS = 6;
/** Of surfaces with more points than this, little is left to do: what reached far is settled by then. */
const DENSE = 3000;
const DENSE_SWEEPS = 2;
/** The last rounds are within the limit of influences. */
const LIMITED_SWEEPS = 3;
const SPREAD_ROUNDS = 8;
/** Where farther points were settled first, joints from far away come with them. */
const FINE_SPREAD_ROUNDS = 2;
const MAX_JOINTS = 8;

/**
 * Settles points of a part: see {@link settleWeights}. What reaches far over the surface is settled on fewer points first, each
 * standing for those about it, and carried over.
 *
 * @param points those that may change, rising; each has weight
 * @param watch  told how far it is, 0 to 1; may throw to end it
 */
export async function settlePart(
  subject: SettleSubject,
  posed: PosedPalettes,
  points: Uint32Array,
  rules: PartRules,
  watch: (share: number) => void = () => undefined,
): Promise<SettledWeights> {
  const { rows, neighbours } = subject;
  const start =
    points.length > MAX_DIRECT
      ? await fromFarther(subject, posed, points, rules, (share) => watch(0.5 * share))
      : undefined;
  const isFine = start !== undefined;
  const rounds = isFine ? FINE_SPREAD_ROUNDS : SPREAD_ROUNDS;
  const spread = spreadJoints(rows, neighbours, points, rounds, MAX_JOINTS, rules.isOpen);
  const joints = start ? joined(points, spread, start) : spread;
  const sweeps = points.length > DENSE ? DENSE_SWEEPS : isFine ? FINE_SWEEPS : SWEEPS;
  const weights = await settleWeights(
    ...([subject, posed, { points, joints, start }, rules] as const),
    { all: sweeps, limited: Math.min(LIMITED_SWEEPS, sweeps - 1) },
    (share) => watch(isFine ? 0.5 + 0.5 * share : share),
  );
  return { joints, weights };
}

/**
 * Weights of listed points as they come from settling fewer of them; undefined where hardly any can stand for others, as those
 * of loose faces.
 */
async function fromFarther(
  subject: SettleSubject,
  posed: PosedPalettes,
  points: Uint32Array,
  rules: PartRules,
  watch: (share: number) => void,
): Promise<WeightRows | undefined> {
  const { rows, neighbours, positions, rest, inverseBinds } = subject;
  const around = withRings(neighbours, rows.pointCount, points, 2 * PATCH_RINGS + 1);
  const coarse = coarsen(neighbours, rows.pointCount, around, PATCH_RINGS);
  const { seeds } = coarse;
  const isListed = new Uint8Array(rows.pointCount);
  for (const p of points) isListed[p] = 1;
  const farther: SettleSubject = {
    positions: gathered(positions, seeds),
    rest: gathered(rest, seeds),
    inverseBinds,
    neighbours: coarse.neighbours,
    rows: gatheredRows(rows, seeds),
  };
  const listed = Uint32Array.from(seeds.keys()).filter((i) => isListed[seeds[i]] === 1);
  if (listed.length > MAX_COARSE * points.length) return undefined;
  const own: PartRules = {
    ...rules,
    elsewhere: rules.elsewhere.map((far) => (far * listed.length) / points.length),
    isOpen: (joint, i) => rules.isOpen(joint, seeds[i]),
  };
  const settled = await settlePart(farther, posed, listed, own, watch);
  return carried(subject, points, coarse, listed, settled, rules.locks);
}

function gathered(places: Float32Array, seeds: Uint32Array): Float32Array {
  const own = new Float32Array(seeds.length * 3);
  seeds.forEach((p, i) => own.set(places.subarray(p * 3, p * 3 + 3), i * 3));
  return own;
}

function gatheredRows(rows: WeightRows, seeds: Uint32Array): WeightRows {
  const own = createRows(seeds.length, rows.stride);
  seeds.forEach((p, i) => copyRow(rows, p, own, i));
  return own;
}

/**
 * What changed at the points that stand for others, carried over to all: each takes it of those about it, the nearer the more.
 * @returns rows of the listed points, in their order
 */
function carried(
  { rows, rest }: SettleSubject,
  points: Uint32Array,
  { seeds, standsFor, neighbours }: CoarseSurface,
  listed: Uint32Array,
  { joints, weights }: SettledWeights,
  locks: Uint8Array,
): WeightRows {
  const changes = changesOf(rows, seeds, listed, joints, weights);
  const out = createRows(points.length, MAX_SETTLED);
  const sums = new JointSums(Math.max(jointsIn(rows), changes.jointCount));
  const shares: number[] = [];
  points.forEach((p, i) => {
    const own = standsFor[p];
    const [first, last] = [neighbours.offsets[own], neighbours.offsets[own + 1]];
    const near = (e: number): number => (e < first ? own : neighbours.points[e]);
    // The nearer, the more: nothing of the farthest.
    let reach = 1e-30;
    for (let e = first - 1; e < last; e++) {
      const [a, b] = [seeds[near(e)] * 3, p * 3];
      const far = Math.hypot(rest[a] - rest[b], rest[a + 1] - rest[b + 1], rest[a + 2] - rest[b + 2]);
      shares[e - first + 1] = far;
      if (far > reach) reach = far;
    }
    let sum = 0;
    for (let e = 0; e <= last - first; e++) sum += shares[e] = (1 - shares[e] / (1.01 * reach)) ** 2;
    sums.clear();
    sums.addRow(rows, p, 1);
    for (let e = first - 1; e < last; e++) {
      const seed = near(e);
      for (let k = changes.offsets[seed]; k < changes.offsets[seed + 1]; k++)
        if (!locks[changes.joints[k]])
          sums.add(changes.joints[k], (changes.values[k] * shares[e - first + 1]) / sum);
    }
    writeRow(out, i, sums, locks);
  });
  return out;
}

/** What changed at each point that stands for others: compressed rows, nothing at those that are not listed. */
function changesOf(
  rows: WeightRows,
  seeds: Uint32Array,
  listed: Uint32Array,
  joints: PointJoints,
  weights: Float64Array,
) {
  const jointCount = joints.joints.reduce((most, joint) => Math.max(most, joint + 1), jointsIn(rows));
  const sums = new JointSums(jointCount);
  const offsets = new Uint32Array(seeds.length + 1);
  const [found, values]: [number[], number[]] = [[], []];
  let next = 0;
  seeds.forEach((p, seed) => {
    if (listed[next] === seed) {
      sums.clear();
      for (let c = joints.offsets[next]; c < joints.offsets[next + 1]; c++)
        sums.add(joints.joints[c], weights[c]);
      sums.addRow(rows, p, -1);
      for (let k = 0; k < sums.count; k++) {
        found.push(sums.joints[k]);
        values.push(sums.of(sums.joints[k]));
      }
      next++;
    }
    offsets[seed + 1] = found.length;
  });
  return { jointCount, offsets, joints: new Uint16Array(found), values: new Float64Array(values) };
}

/** Less than this is no weight. */
const MIN_WEIGHT = 1e-4;

/** Writes what is above nothing, the largest first, summing to one beside what is locked. */
function writeRow(out: WeightRows, at: number, sums: JointSums, locks: Uint8Array): void {
  const most = sums.largest(out.stride);
  let [count, locked, free] = [0, 0, 0];
  for (; count < most && sums.of(sums.joints[count]) > MIN_WEIGHT; count++) {
    const joint = sums.joints[count];
    if (locks[joint]) locked += sums.of(joint);
    else free += sums.of(joint);
  }
  for (let k = 0; k < count; k++) {
    const joint = sums.joints[k];
    const value = sums.of(joint);
    out.joints[at * out.stride + k] = joint;
    out.values[at * out.stride + k] = locks[joint] || free === 0 ? value : (value * (1 - locked)) / free;
  }
}

/** Both lists of candidates in one, at most {@link MAX_SETTLED} a point. */
function joined(points: Uint32Array, { offsets, joints }: PointJoints, start: WeightRows): PointJoints {
  const starts = new Uint32Array(points.length + 1);
  const all: number[] = [];
  for (let i = 0; i < points.length; i++) {
    const own = new Set(joints.subarray(offsets[i], offsets[i + 1]));
    for (let k = i * start.stride, end = k + influenceCount(start, i); k < end && own.size < MAX_SETTLED; k++)
      own.add(start.joints[k]);
    all.push(...own);
    starts[i + 1] = all.length;
  }
  return { offsets: starts, joints: new Uint16Array(all) };
}
