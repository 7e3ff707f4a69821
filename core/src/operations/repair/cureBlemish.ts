import type { Blemish } from '../../document/blemish.ts';
import { EntryHeap } from '../../math/entryHeap.ts';
import type { Part } from '../../mesh/part.ts';
import type { Neighbours } from '../../mesh/neighbours.ts';
import { findNeighbours } from '../../mesh/topology.ts';
import { copyRow, type Change } from '../../weights/delta.ts';
import { addCandidate, setInfluence } from '../../weights/influence.ts';
import { areasOf } from '../../weights/confines.ts';
import { rewritePoints, type RewriteRules } from '../../weights/rewritePoints.ts';
import { copyRows, createRows, weightOf, type WeightRows } from '../../weights/rows.ts';
import { smoothRows } from '../../weights/smooth.ts';
import { createCandidates, RowStatus } from '../../weights/normalize.ts';

/** Noise is smoothed so many times over: enough to level what jumps from point to point, and little else. */
const NOISE_PASSES = 6;
const NOISE_SHARE = 0.8;
/** A hard border is blended over this share of the limb's radius on either side, */
const BLEND_SHARE = 0.7;
/** and smoothed a little, for paths along edges are longer than the surface is wide. */
const BLEND_PASSES = 2;
const BLEND_SMOOTH = 0.5;

type Shape = Pick<Part, 'positions' | 'polygonOffsets' | 'polygonPoints' | 'pointCount'>;

/**
 * Mends a place where weights run badly: noise is smoothed over, a hard border becomes a slope as wide as the limb is
 * thick. Locked joints, the limit and confined joints are kept.
 *
 * @returns the change, and how many points kept their weights because locks leave no room
 */
export function cureBlemish(
  shape: Shape,
  rows: WeightRows,
  blemish: Blemish,
  rules: RewriteRules,
): { change: Change; held: number } {
  const neighbours = findNeighbours(
    { offsets: shape.polygonOffsets, points: shape.polygonPoints },
    shape.pointCount,
  );
  const wanted = copyRows(rows);
  const points =
    blemish.kind === 'noise'
      ? blemish.points
      : blendBorder(shape.positions, wanted, neighbours, blemish, rules);
  if (blemish.kind === 'noise') smoothOver(wanted, points, neighbours, NOISE_PASSES, NOISE_SHARE, rules);
  else smoothOver(wanted, points, neighbours, BLEND_PASSES, BLEND_SMOOTH, rules);
  const { delta, held } = rewritePoints(blemish.part, rows, points, rules, (p, c) => {
    for (let k = p * wanted.stride; k < (p + 1) * wanted.stride && wanted.values[k] > 0; k++)
      if (!rules.locks[wanted.joints[k]]) addCandidate(c, wanted.joints[k], wanted.values[k]);
  });
  return { change: delta.points.length > 0 ? [delta] : [], held };
}

function smoothOver(
  rows: WeightRows,
  points: Uint32Array,
  neighbours: Neighbours,
  passes: number,
  share: number,
  { limit, locks }: RewriteRules,
): void {
  const smoothed = createRows(points.length, rows.stride);
  const status = new Uint8Array(points.length);
  const amounts = new Float32Array(points.length).fill(share);
  const list = { points, count: points.length };
  for (let pass = 0; pass < passes; pass++) {
    smoothRows(rows, smoothed, list, neighbours, amounts, Math.min(limit, rows.stride), locks, status);
    points.forEach((p, i) => {
      if (status[i] & RowStatus.changed) copyRow(smoothed, i, rows, p);
    });
  }
}

/** Shares out what both joints have about their border, by the distance from it. @returns the points, rising */
function blendBorder(
  positions: Float32Array,
  rows: WeightRows,
  neighbours: Neighbours,
  { part, points, joint, other }: Blemish,
  { limit, locks, confines }: RewriteRules,
): Uint32Array {
  const width = BLEND_SHARE * radiusOf(positions, points);
  const far = distancesFrom(positions, neighbours, points, width);
  const areas = areasOf(confines, part);
  const candidates = createCandidates();
  for (const [p, distance] of far) {
    const [own, theirs] = [weightOf(rows, p, joint), weightOf(rows, p, other)];
    const along = (1 + ((own >= theirs ? 1 : -1) * distance) / width) / 2;
    const wanted = (own + theirs) * along * along * (3 - 2 * along);
    // Whoever has too much gives it to the other.
    const [from, to, left] = wanted < own ? [joint, other, wanted] : [other, joint, own + theirs - wanted];
    const rules = { receiver: { kind: 'joint', joint: to } as const, limit, locks, areas };
    setInfluence(rows, p, rows, p, from, left, rules, candidates);
  }
  return Uint32Array.from(far.keys()).sort();
}

/** How far points lie from their middle, in the mean. */
function radiusOf(positions: Float32Array, points: Uint32Array): number {
  const centre = [0, 0, 0];
  for (const p of points) for (let k = 0; k < 3; k++) centre[k] += positions[p * 3 + k] / points.length;
  let sum = 0;
  for (const p of points) sum += Math.hypot(...centre.map((c, k) => positions[p * 3 + k] - c));
  return sum / Math.max(1, points.length);
}

/**
 * How far points lie from a border along the edges (Dijkstra 1959), up to a length. Those of the border lie half an
 * edge from it: the border itself runs between them.
 */
function distancesFrom(
  positions: Float32Array,
  { offsets, points }: Neighbours,
  border: Uint32Array,
  most: number,
): Map<number, number> {
  const length = (p: number, q: number): number =>
    Math.hypot(
      positions[p * 3] - positions[q * 3],
      positions[p * 3 + 1] - positions[q * 3 + 1],
      positions[p * 3 + 2] - positions[q * 3 + 2],
    );
  const far = new Map<number, number>();
  const onBorder = new Set(border);
  const heap = new EntryHeap(border.length);
  const put = (p: number, distance: number): void => {
    if (distance > most || distance >= (far.get(p) ?? Infinity)) return;
    far.set(p, distance);
    heap.push(distance, p);
  };
  for (const p of border) {
    let least = Infinity;
    for (let e = offsets[p]; e < offsets[p + 1]; e++)
      if (onBorder.has(points[e])) least = Math.min(least, length(p, points[e]));
    put(p, Number.isFinite(least) ? least / 2 : 0);
  }
  while (heap.size > 0) {
    const key = heap.leastKey;
    const p = heap.pop();
    const distance = far.get(p) as number;
    // It was reached by a shorter way meanwhile; keys are rounded.
    if (key > distance * (1 + 1e-6)) continue;
    for (let e = offsets[p]; e < offsets[p + 1]; e++) put(points[e], distance + length(p, points[e]));
  }
  return far;
}
