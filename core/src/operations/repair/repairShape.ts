import type { CheckInput } from '../../document/checkInput.ts';
import type { Finding, FindingCode } from '../../document/finding.ts';
import { proposeWeld, weldNear } from '../../mesh/weldNear.ts';
import type { Change } from '../../weights/delta.ts';
import { rewritePoints } from '../../weights/rewritePoints.ts';
import type { WeightRows } from '../../weights/rows.ts';

/** Findings whose repair changes how a part hangs together. */
export const SHAPE_REPAIRS = ['loose-triangles'] as const;
export type ShapeRepair = (typeof SHAPE_REPAIRS)[number];

export const isShapeRepair = (code: FindingCode): code is ShapeRepair =>
  (SHAPE_REPAIRS as readonly string[]).includes(code);

/**
 * Welds parts that have come apart, within a distance that the mesh itself tells: points that become one get the mean of
 * their weights, so that they are alike whether welded or not.
 *
 * @returns by part, the distance in part space; and the weights
 */
export function repairShape(
  { parts, rows }: Pick<CheckInput, 'parts' | 'rows'>,
  findings: readonly Finding[],
  locks: Uint8Array,
): { welds: Readonly<Record<number, number>>; change: Change } {
  const welds: Record<number, number> = {};
  const change: Change[number][] = [];
  for (const part of new Set(findings.filter(({ code }) => isShapeRepair(code)).map((each) => each.part))) {
    if (part === undefined) continue;
    const distance = proposeWeld(parts[part]);
    if (distance === 0) continue;
    welds[part] = distance;
    const groups = groupsOf(weldNear(parts[part], distance));
    const points = Uint32Array.from([...groups.values()].flat()).sort();
    const groupOf = new Map([...groups.values()].flatMap((group) => group.map((p) => [p, group] as const)));
    const { delta } = rewritePoints(part, rows[part], points, { locks, limit: rows[part].stride }, (p, c) => {
      for (const [joint, weight] of meanOf(rows[part], groupOf.get(p) ?? [p])) {
        if (locks[joint]) continue;
        c.joints[c.count] = joint;
        c.values[c.count++] = weight;
      }
    });
    if (delta.points.length > 0) change.push(delta);
  }
  return { welds, change };
}

/** Groups of several points, by the one that stands for them. */
function groupsOf(standsFor: Uint32Array): Map<number, number[]> {
  const groups = new Map<number, number[]>();
  standsFor.forEach((point, p) => {
    if (point === p) return;
    const held = groups.get(point);
    if (held) held.push(p);
    else groups.set(point, [point, p]);
  });
  return groups;
}

function meanOf({ joints, values, stride }: WeightRows, points: readonly number[]): Map<number, number> {
  const mean = new Map<number, number>();
  for (const p of points)
    for (let k = p * stride; k < (p + 1) * stride && values[k] > 0; k++)
      mean.set(joints[k], (mean.get(joints[k]) ?? 0) + values[k]);
  return mean;
}
