import { SLOTS } from './binder.ts';
import type { BindReport, BindRequest, BindSkin } from './bindRequest.ts';
import { type Change, countPoints } from '../../weights/delta.ts';
import { areasOf } from '../../weights/confines.ts';
import { adoptRows, createRowBlock } from '../../weights/rowBlock.ts';
import type { RowBlock } from '../../weights/rewriteRows.ts';
import { TINY_WEIGHT, type WeightRows } from '../../weights/rows.ts';
import type { BindSpace } from '../../document/space/bindSpace.ts';
import { rewritePoints, type RewriteRules } from '../../weights/rewritePoints.ts';

export const stridesOf = (rows: readonly WeightRows[], parts: readonly number[]): Set<number> =>
  new Set(parts.map((part) => rows[part].stride));

/** Puts a proposal into the chosen points' rows, under locks and limit. */
export function write(
  { rows: rowsOfPart }: BindSkin,
  { method, parts, points, limit, locks, confines }: BindRequest,
  { firstPoint, memory }: BindSpace,
  proposal: WeightRows,
  told: Pick<BindReport, 'fallbacks' | 'stiff'>,
): { change: Change; report: BindReport } {
  const change: Change[number][] = [];
  const blocks = new Map(
    [...stridesOf(rowsOfPart, parts)].map((stride) => [stride, createRowBlock(memory, stride, SLOTS)]),
  );
  const ownLocks = memory.u8(65536);
  ownLocks.set(locks);
  let asked = 0;
  let held = 0;
  parts.forEach((part, i) => {
    const rows = rowsOfPart[part];
    const chosen = points?.get(part) ?? allPoints(rows.pointCount);
    // A first binding leaves no weight so small that it hides.
    const rules = { locks: ownLocks, limit, least: TINY_WEIGHT };
    const block = blocks.get(rows.stride) as RowBlock;
    const { delta, held: stayed } = areasOf(confines, part)
      ? adoptConfined(part, rows, chosen, { locks, limit, confines }, proposal, firstPoint[i])
      : adoptRows(memory, block, part, rows, chosen, rules, proposal, firstPoint[i]);
    asked += chosen.length;
    held += stayed;
    if (delta.points.length > 0) change.push(delta);
  });
  const changed = countPoints(change);
  change.sort((a, b) => a.part - b.part);
  return { change, report: { method, asked, changed, held, ...told } };
}

/** The same one by one, where joints may weigh only in some places. */
function adoptConfined(
  part: number,
  rows: WeightRows,
  points: Uint32Array,
  rules: RewriteRules,
  { joints, values }: WeightRows,
  first: number,
): ReturnType<typeof rewritePoints> {
  return rewritePoints(part, rows, points, rules, (p, c) => {
    const from = (first + p) * SLOTS;
    for (let k = from; k < from + SLOTS; k++) {
      if (values[k] < TINY_WEIGHT || rules.locks[joints[k]]) continue;
      c.joints[c.count] = joints[k];
      c.values[c.count++] = values[k];
    }
  });
}

function allPoints(count: number): Uint32Array {
  const points = new Uint32Array(count);
  for (let p = 0; p < count; p++) points[p] = p;
  return points;
}
