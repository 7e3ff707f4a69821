import { costPoses, type CostPose } from '@judoka/core/analysis/costs';
import { checkInput } from '@judoka/core/analysis/checkUp';
import { rangesOf } from '@judoka/core/analysis/strays';
import { PosedPalettes } from '@judoka/core/deform';
import type { Character } from '@judoka/core/document';
import { limitInfluences } from '@judoka/core/operations/limit';
import { copyRow, createRows, type Change, type WeightRows } from '@judoka/core/weights';

/** The poses of a character's range of motion and clips. */
export function posesOf(
  character: Character,
  rows: readonly WeightRows[],
): { poses: readonly CostPose[]; posed: PosedPalettes } {
  const { pairs } = checkInput(character, { rows });
  const poses = costPoses(rangesOf(character, { rows }, pairs), character.clips);
  const posed = new PosedPalettes(
    character.skeleton,
    poses.map(({ pose }) => pose),
  );
  return { poses, posed };
}

/** Brings influences within a limit, by least movement. Costs are in scene units. */
export function limitByMovement(
  character: Character,
  rows: readonly WeightRows[],
  rules: { readonly limit: number; readonly locks: Uint8Array },
): { change: Change; cost: number; plainCost: number } {
  let [cost, plainCost]: [number, number] = [0, 0];
  let posed: PosedPalettes | undefined;
  const change = character.parts.flatMap(({ role, positions, inverseBinds, pointCount }, part) => {
    const own = rows[part];
    if (role !== 'skinned' || own.stride <= rules.limit) return [];
    posed ??= posesOf(character, rows).posed;
    const all = Uint32Array.from({ length: pointCount }, (_, p) => p);
    const found = limitInfluences({ positions, inverseBinds, rows: own }, posed, all, rules);
    if (found.points.length === 0) return [];
    cost = found.costs.reduce((most, one) => Math.max(most, one), cost);
    plainCost = found.plainCosts.reduce((most, one) => Math.max(most, one), plainCost);
    const before = createRows(found.points.length, own.stride);
    found.points.forEach((point, i) => copyRow(own, point, before, i));
    return [{ part, points: found.points, before, after: found.rows }];
  });
  return { change, cost, plainCost };
}
