import { CoreError } from '../../errors.ts';
import type { CharacterPart } from '../../document/character.ts';
import { liveJoints, type Skeleton } from '../../skeleton/skeleton.ts';
import { PointTree } from '../../spatial/pointTree.ts';
import { DeltaBuilder, type Change } from '../../weights/delta.ts';
import {
  beginWithLocked,
  createCandidates,
  normalizeCandidates,
  type Candidates,
} from '../../weights/normalize.ts';
import { createRows, type WeightRows } from '../../weights/rows.ts';
import type { TablePoint, WeightTable } from '../../weights/WeightTable.ts';

export const TABLE_BY = ['index', 'place'] as const;
export type TableBy = (typeof TABLE_BY)[number];

export interface TableSubject {
  readonly parts: readonly Pick<CharacterPart, 'name' | 'positions' | 'pointCount' | 'role'>[];
  readonly skeleton: Skeleton;
  readonly rows: readonly WeightRows[];
}

/** What could not be done as the table says. */
export interface TableReport {
  /** Points that got the table's weights. */
  readonly found: number;
  /** Points of the table that have no counterpart. */
  readonly lost: number;
  /** Points whose weights did not sum to one, and were scaled. */
  readonly scaled: number;
  /** Points with more influences than there is room for: the largest were kept. */
  readonly cut: number;
}

/** Points by place lie this near their counterparts, in shares of the part's size. */
const NEAR = 1e-3;
/** Sums that are off by less are the rounding of what wrote them. */
const EXACT = 1e-6;

/**
 * Gives points the weights of a table: by their numbers, or by where they stand at rest. Rows that sum to one are taken to the
 * bit; others are scaled, and counted. Locked joints keep theirs.
 *
 * @throws CoreError argument-invalid for a part, a joint or a point that is not there, with the table's place
 */
export function applyTable(
  { parts, skeleton, rows }: TableSubject,
  table: WeightTable,
  { by, locks }: { readonly by: TableBy; readonly locks: Uint8Array },
): { change: Change; report: TableReport } {
  const joints = new Map(liveJoints(skeleton).map((joint) => [skeleton.joints[joint].name, joint]));
  const report = { found: 0, lost: 0, scaled: 0, cut: 0 };
  const change = table.parts
    .map(({ name, points }) => ({ part: partNamed(parts, name, points[0]?.where ?? ''), points }))
    .sort((a, b) => a.part - b.part)
    .flatMap(({ part, points }) => {
      const counterpart = by === 'index' ? byIndex(parts[part]) : byPlace(parts[part]);
      const own = rows[part];
      const wanted = new Map<number, TablePoint>();
      for (const point of points) {
        const at = counterpart(point);
        if (at === undefined) report.lost++;
        else wanted.set(at, point);
      }
      report.found += wanted.size;
      const builder = new DeltaBuilder(part, own.stride, wanted.size);
      const row = createRows(1, own.stride);
      const c = createCandidates();
      for (const [at, point] of [...wanted].sort(([a], [b]) => a - b)) {
        beginWithLocked(c, own, at, locks);
        gather(c, point, joints, locks);
        putRow(row, c, { locks, limit: own.stride }, report);
        builder.push(at, own, at, row, 0);
      }
      const delta = builder.finish();
      return delta.points.length === 0 ? [] : [delta];
    });
  return { change, report };
}

function partNamed(parts: TableSubject['parts'], name: string, where: string): number {
  const skinned = [...parts.keys()].filter((part) => parts[part].role === 'skinned');
  if (name === '' && skinned.length === 1) return skinned[0];
  const part = skinned.find((one) => parts[one].name === name);
  if (part !== undefined) return part;
  const names = skinned
    .slice(0, 6)
    .map((one) => `“${parts[one].name}”`)
    .join(', ');
  throw new CoreError(
    'argument-invalid',
    `The table names part “${name.slice(0, 60)}” (${where}), and there are: ${names || 'none with weights'}.`,
    { where },
  );
}

function byIndex({ name, pointCount }: TableSubject['parts'][number]): (point: TablePoint) => number {
  return ({ point, where }) => {
    if (point < pointCount) return point;
    throw new CoreError(
      'argument-invalid',
      `The table has point ${point} of “${name}” (${where}), which has ${pointCount} points: it is of another mesh. By place, it may fit.`,
      { where },
    );
  };
}

function byPlace({
  positions,
  pointCount,
}: TableSubject['parts'][number]): (point: TablePoint) => number | undefined {
  const low = [Infinity, Infinity, Infinity];
  const high = [-Infinity, -Infinity, -Infinity];
  for (let i = 0; i < positions.length; i++) {
    low[i % 3] = Math.min(low[i % 3], positions[i]);
    high[i % 3] = Math.max(high[i % 3], positions[i]);
  }
  const most = NEAR * Math.max(...high.map((x, k) => x - low[k]));
  const tree = new PointTree(
    positions,
    Uint32Array.from({ length: pointCount }, (_, p) => p),
  );
  return ({ place, where }) => {
    if (!place)
      throw new CoreError(
        'argument-invalid',
        `The table does not say where its points stand (${where}): columns x, y and z are needed.`,
        { where },
      );
    const found = tree.nearest(place[0], place[1], place[2]);
    const far = Math.hypot(...place.map((x, k) => x - positions[found * 3 + k]));
    return far <= most ? found : undefined;
  };
}

function gather(
  c: Candidates,
  { weights, where }: TablePoint,
  joints: ReadonlyMap<string, number>,
  locks: Uint8Array,
): void {
  const first = c.count;
  for (const { joint: name, weight } of weights) {
    const joint = joints.get(name);
    if (joint === undefined)
      throw new CoreError(
        'argument-invalid',
        `The table names joint “${name.slice(0, 60)}” (${where}), which is not there.`,
        { where },
      );
    if (locks[joint] || !(weight > 0)) continue;
    let at = first;
    while (at < c.count && c.joints[at] !== joint) at++;
    if (at === c.count) {
      c.joints[c.count] = joint;
      c.values[c.count++] = weight;
    } else c.values[at] += weight;
  }
}

/** A row of candidates: as they are where they sum to one, else through the routine that normalizes. */
function putRow(
  row: WeightRows,
  c: Candidates,
  rules: { locks: Uint8Array; limit: number },
  report: { scaled: number; cut: number },
): void {
  row.joints.fill(0);
  row.values.fill(0);
  let sum = 0;
  for (let i = 0; i < c.count; i++) sum += c.values[i];
  if (c.count > row.stride) report.cut++;
  else if (Math.abs(sum - 1) <= EXACT) {
    const order = Array.from({ length: c.count }, (_, i) => i).sort(
      (a, b) => Math.fround(c.values[b]) - Math.fround(c.values[a]) || c.joints[a] - c.joints[b],
    );
    order.forEach((i, slot) => {
      row.joints[slot] = c.joints[i];
      row.values[slot] = c.values[i];
    });
    return;
  } else if (sum > 0) report.scaled++;
  if (c.count > 0) normalizeCandidates(row, 0, c, { fixed: -1, ...rules });
}
