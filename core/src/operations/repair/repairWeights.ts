import { anchorsOfPoints } from '../../drawing/index.ts';
import type { CheckInput } from '../../document/checkInput.ts';
import { putSeamMeans, seamsAsCame } from '../../document/seamWeights.ts';
import type { Finding, FindingCode } from '../../document/finding.ts';
import { findNeighbours } from '../../mesh/topology.ts';
import { type Change, copyRow, countPoints, DeltaBuilder } from '../../weights/delta.ts';
import { createCandidates, normalizeCandidates } from '../../weights/normalize.ts';
import { copyRows, influenceCount, type WeightRows } from '../../weights/rows.ts';
import { healUnweighted } from '../../weights/heal.ts';

/** Findings whose repair changes weights; the order in which they are repaired. */
export const WEIGHT_REPAIRS = [
  'seams-disagree',
  'handles-apart',
  'tied-to-root',
  'tied-to-still-joint',
  'tied-to-far-joint',
  'unweighted',
  'too-many-influences',
] as const;
export type WeightRepair = (typeof WEIGHT_REPAIRS)[number];

export const isWeightRepair = (code: FindingCode): code is WeightRepair =>
  (WEIGHT_REPAIRS as readonly string[]).includes(code);

export interface RepairReport {
  /** Points whose row is another now. */
  readonly changed: number;
  /** Points that no repair could help, because nothing around them has weight. */
  readonly helpless: number;
}

/**
 * Repairs weights, as one change. Locked joints keep theirs.
 *
 * - `seams-disagree`: the mean of a point's vertices, where the point is as it came.
 * - `handles-apart`: the weights of their anchors.
 * - `tied-to-root`, `tied-to-still-joint`: the joint's weight goes to the other influences in proportion; points that
 *   have no other are healed from the surface around.
 * - `tied-to-far-joint`: the points are healed from the surface around; where there is none, they stay as they are.
 * - `unweighted`: healed from the surface around.
 * - `too-many-influences`: the largest are kept.
 *
 * @param findings what to repair, as the check-up found it
 */
export function repairWeights(
  input: CheckInput,
  findings: readonly Finding[],
  locks: Uint8Array,
): { change: Change; report: RepairReport } {
  const change: Change[number][] = [];
  let helpless = 0;
  input.parts.forEach((part, index) => {
    const codes = new Set(findings.filter((finding) => finding.part === index).map(({ code }) => code));
    if (![...codes].some(isWeightRepair)) return;
    const before = input.rows[index];
    const after = copyRows(before);
    const { influences } = input.profile;
    if (codes.has('seams-disagree')) putMeans(input, index, after, locks);
    const apart = findings.filter(({ code, part: own }) => code === 'handles-apart' && own === index);
    for (const { points } of apart) putAnchors(input, index, after, points ?? [], locks);
    if (codes.has('tied-to-root')) takeAway(after, input.roots, locks);
    if (codes.has('tied-to-still-joint')) takeAway(after, input.nonDeforming, locks);
    const far = findings.filter(({ code, part: own }) => code === 'tied-to-far-joint' && own === index);
    for (const { points } of far) untie(after, points ?? [], locks);
    if (isEmpty(after) && !isEmpty(before)) {
      // There is nobody to give it to: points without any weight would be worse.
      helpless += before.pointCount;
      return;
    }
    if (codes.size > 0 && (codes.has('unweighted') || hasNewGaps(before, after))) {
      const neighbours = findNeighbours(
        { offsets: part.polygonOffsets, points: part.polygonPoints },
        part.pointCount,
      );
      const kept = codes.has('unweighted') ? undefined : before;
      helpless += heal(after, kept, part.positions, neighbours, influences);
      if (far.length > 0) putBack(after, before);
    }
    if (codes.has('too-many-influences')) prune(after, influences, locks);
    const builder = new DeltaBuilder(index, before.stride, before.pointCount);
    for (let p = 0; p < before.pointCount; p++) builder.push(p, before, p, after, p);
    const delta = builder.finish();
    if (delta.points.length > 0) change.push(delta);
  });
  return {
    change,
    report: { changed: countPoints(change), helpless },
  };
}

function putMeans(
  { parts, rows, cameRows, sourceWeights }: CheckInput,
  part: number,
  after: WeightRows,
  locks: Uint8Array,
): void {
  const { seams } = sourceWeights[part];
  const points = new Set(seamsAsCame(seams, rows[part], cameRows[part]));
  putSeamMeans(after, seams, parts[part].vertexPoint, points, locks);
}

/** Gives handles what their anchors have; those that a locked joint holds stay, as do all beside such an anchor. */
function putAnchors(
  { drawing, parts }: CheckInput,
  index: number,
  after: WeightRows,
  points: Iterable<number>,
  locks: Uint8Array,
): void {
  if (!drawing) return;
  const { vertexPoint, pointCount } = parts[index];
  const anchors = anchorsOfPoints(drawing.layers[index], vertexPoint, pointCount);
  for (const p of points)
    if (!isHeld(after, p, locks) && !isHeld(after, anchors[p], locks)) copyRow(after, anchors[p], after, p);
}

/** Whether a locked joint holds a point. */
function isHeld({ joints, values, stride }: WeightRows, p: number, locks: Uint8Array): boolean {
  const [from, to] = [p * stride, (p + 1) * stride];
  return joints.subarray(from, to).some((joint, k) => values[from + k] > 0 && locks[joint] !== 0);
}

/** Empties points, to be healed; those that a locked joint holds stay. */
function untie(rows: WeightRows, points: Iterable<number>, locks: Uint8Array): void {
  for (const p of points) {
    if (!isHeld(rows, p, locks)) rows.values.fill(0, p * rows.stride, (p + 1) * rows.stride);
  }
}

/** Points that nothing could heal keep what they had: far is better than nowhere. */
function putBack(after: WeightRows, before: WeightRows): void {
  for (let p = 0; p < after.pointCount; p++)
    if (after.values[p * after.stride] === 0) copyRow(before, p, after, p);
}

const isEmpty = ({ values }: WeightRows): boolean => !values.some((value) => value > 0);

function hasNewGaps(before: WeightRows, after: WeightRows): boolean {
  for (let p = 0; p < before.pointCount; p++)
    if (before.values[p * before.stride] > 0 && after.values[p * after.stride] === 0) return true;
  return false;
}

/** Heals empty rows; those that were empty in `kept` stay so. */
function heal(
  after: WeightRows,
  kept: WeightRows | undefined,
  positions: Float32Array,
  neighbours: ReturnType<typeof findNeighbours>,
  limit: number,
): number {
  healUnweighted(after, positions, neighbours, limit);
  let empty = 0;
  for (let p = 0; p < after.pointCount; p++) {
    const first = p * after.stride;
    if (kept && kept.values[first] === 0) after.values.fill(0, first, first + after.stride);
    else if (after.values[first] === 0) empty++;
    if (after.values[first] === 0) after.joints.fill(0, first, first + after.stride);
  }
  return empty;
}

/** Takes joints out of all rows; a row that holds nothing else becomes empty. */
export function takeAway(rows: WeightRows, joints: ReadonlySet<number>, locks: Uint8Array): void {
  const c = createCandidates(rows.stride);
  for (let p = 0; p < rows.pointCount; p++) {
    const first = p * rows.stride;
    let taken = false;
    c.count = 0;
    for (let k = first; k < first + rows.stride && rows.values[k] !== 0; k++) {
      if (joints.has(rows.joints[k]) && !locks[rows.joints[k]]) {
        taken = true;
        continue;
      }
      c.joints[c.count] = rows.joints[k];
      c.values[c.count++] = rows.values[k];
    }
    if (!taken) continue;
    if (c.count === 0) {
      rows.joints.fill(0, first, first + rows.stride);
      rows.values.fill(0, first, first + rows.stride);
    } else normalizeCandidates(rows, p, c, { fixed: -1, limit: rows.stride, locks });
  }
}

/** Keeps the largest influences of every row. */
export function prune(rows: WeightRows, limit: number, locks: Uint8Array): void {
  const c = createCandidates(rows.stride);
  for (let p = 0; p < rows.pointCount; p++) {
    if (influenceCount(rows, p) <= limit) continue;
    const first = p * rows.stride;
    c.count = 0;
    for (let k = first; k < first + rows.stride && rows.values[k] !== 0; k++) {
      c.joints[c.count] = rows.joints[k];
      c.values[c.count++] = rows.values[k];
    }
    normalizeCandidates(rows, p, c, { fixed: -1, limit, locks });
  }
}
