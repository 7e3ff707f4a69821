import type { PosedPalettes } from '../../deform/PosedPalettes.ts';
import { copyRow } from '../../weights/delta.ts';
import { createRows, influenceCount, type WeightRows } from '../../weights/rows.ts';
import { type PointJoints, spreadJoints } from './candidates.ts';
import { coarsen, type CoarseSurface, withRings } from './coarsen.ts';
import { MAX_SETTLED } from './ShareSolver.ts';
import { type SettleRules, type SettleSubject, WeightSettler } from './settleWeights.ts';

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
const DENSE_SWEEPS = 3;
/** The last rounds are within the limit of influences. */
const LIMITED_SWEEPS = 3;
const SPREAD_ROUNDS = 8;
/** Where farther points were settled first, joints from far away come with them. */
const FINE_SPREAD_ROUNDS = 2;
const MAX_JOINTS = 8;

/**
 * Settles points of a part: see {@link WeightSettler}. What reaches far over the surface is settled on fewer points first, each
 * standing for those about it, and carried over.
 *
 * @param points those that may change, rising; each has weight
 * @param watch  told how far it is, 0 to 1; may throw to end it
 */
export function settlePart(
  subject: SettleSubject,
  posed: PosedPalettes,
  points: Uint32Array,
  rules: PartRules,
  watch: (share: number) => void = () => undefined,
): SettledWeights {
  const { rows, neighbours } = subject;
  const start =
    points.length > MAX_DIRECT
      ? fromFarther(subject, posed, points, rules, (share) => watch(0.5 * share))
      : undefined;
  const isFine = start !== undefined;
  const rounds = isFine ? FINE_SPREAD_ROUNDS : SPREAD_ROUNDS;
  const spread = spreadJoints(rows, neighbours, points, rounds, MAX_JOINTS, rules.isOpen);
  const joints = start ? joined(points, spread, start) : spread;
  const settler = new WeightSettler(subject, posed, points, joints, rules, start);
  const sweeps = points.length > DENSE ? DENSE_SWEEPS : isFine ? FINE_SWEEPS : SWEEPS;
  for (let sweep = 0; sweep < sweeps; sweep++) {
    settler.sweep(sweep >= sweeps - Math.min(LIMITED_SWEEPS, sweeps - 1));
    const done = (sweep + 1) / sweeps;
    watch(isFine ? 0.5 + 0.5 * done : done);
  }
  return { joints, weights: settler.weights };
}

/**
 * Weights of listed points as they come from settling fewer of them; undefined where hardly any can stand for others, as those
 * of loose faces.
 */
function fromFarther(
  subject: SettleSubject,
  posed: PosedPalettes,
  points: Uint32Array,
  rules: PartRules,
  watch: (share: number) => void,
): WeightRows | undefined {
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
  const settled = settlePart(farther, posed, listed, own, watch);
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
  const changes = new Map<number, Map<number, number>>();
  listed.forEach((seed, i) => {
    const change = new Map<number, number>();
    for (let c = joints.offsets[i]; c < joints.offsets[i + 1]; c++) change.set(joints.joints[c], weights[c]);
    const p = seeds[seed];
    for (let k = p * rows.stride, end = k + influenceCount(rows, p); k < end; k++)
      change.set(rows.joints[k], (change.get(rows.joints[k]) ?? 0) - rows.values[k]);
    changes.set(seed, change);
  });
  const out = createRows(points.length, MAX_SETTLED);
  points.forEach((p, i) => {
    const own = standsFor[p];
    const near = [own, ...neighbours.points.subarray(neighbours.offsets[own], neighbours.offsets[own + 1])];
    const far = near.map((seed) =>
      Math.hypot(...[0, 1, 2].map((k) => rest[seeds[seed] * 3 + k] - rest[p * 3 + k])),
    );
    const reach = 1.01 * far.reduce((most, x) => Math.max(most, x), 1e-30);
    const shares = far.map((x) => (1 - x / reach) ** 2);
    const sum = shares.reduce((a, b) => a + b, 0);
    const row = new Map<number, number>();
    for (let k = p * rows.stride, end = k + influenceCount(rows, p); k < end; k++)
      row.set(rows.joints[k], rows.values[k]);
    near.forEach((seed, e) => {
      for (const [joint, by] of changes.get(seed) ?? [])
        if (!locks[joint]) row.set(joint, (row.get(joint) ?? 0) + (by * shares[e]) / sum);
    });
    writeRow(out, i, row, locks);
  });
  return out;
}

/** Writes what is above nothing, the largest first, summing to one beside what is locked. */
function writeRow(out: WeightRows, at: number, row: Map<number, number>, locks: Uint8Array): void {
  const kept = [...row]
    .filter(([, w]) => w > 1e-4)
    .sort((a, b) => b[1] - a[1])
    .slice(0, out.stride);
  let [locked, free] = [0, 0];
  for (const [joint, w] of kept)
    if (locks[joint]) locked += w;
    else free += w;
  kept.forEach(([joint, w], k) => {
    out.joints[at * out.stride + k] = joint;
    out.values[at * out.stride + k] = locks[joint] || free === 0 ? w : (w * (1 - locked)) / free;
  });
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
  return { offsets: starts, joints: Uint16Array.from(all) };
}
