import type { RewriteRules } from '../../weights/rewritePoints.ts';
import { CoreError } from '../../errors.ts';
import { ringsFrom, listMask, type PointMask } from '../../mesh/masks.ts';
import type { Neighbours } from '../../mesh/neighbours.ts';
import { areasOf } from '../../weights/confines.ts';
import { apply, invert, type Delta } from '../../weights/delta.ts';
import type { WeightRows } from '../../weights/rows.ts';
import { Stroke, type PaintWorkspace } from './stroke.ts';

export const MAX_BLEND_RINGS = 12;

/** Points within `rings` edges of a border between regions that follow different joints the most, rising. */
export function borderBand(
  rows: WeightRows,
  neighbours: Neighbours,
  rings: number,
  within?: PointMask,
): Uint32Array {
  const { offsets, points } = neighbours;
  const { joints, values, stride, pointCount } = rows;
  const border = new Uint8Array(pointCount);
  for (let p = 0; p < pointCount; p++) {
    if (values[p * stride] === 0) continue;
    for (let e = offsets[p]; e < offsets[p + 1]; e++) {
      const q = points[e];
      if (values[q * stride] !== 0 && joints[q * stride] !== joints[p * stride]) border[p] = 1;
    }
  }
  const far = ringsFrom(neighbours, border, rings - 1);
  return listMask(Uint8Array.from(far, (ring, p) => (ring < rings && (!within || within[p]) ? 1 : 0)));
}

/**
 * Blends the borders of regions over a number of rings to either side: within the band weights go evenly from one
 * region into the other (smoothing, repeated until it is level); outside of it nothing changes.
 *
 * @param rows       in the kernels' memory; as they were afterwards
 * @param within     only points of this mask, where it is given
 * @throws CoreError argument-invalid unless `rings` is a whole number from 1 to 12
 */
export function blendBorders(
  part: number,
  rows: WeightRows,
  workspace: PaintWorkspace,
  rings: number,
  { limit, locks, confines }: RewriteRules,
  within?: PointMask,
): Delta {
  if (!(Number.isInteger(rings) && rings >= 1 && rings <= MAX_BLEND_RINGS))
    throw new CoreError('argument-invalid', `Borders are blended over 1 to ${MAX_BLEND_RINGS} rings.`);
  const band = borderBand(rows, workspace.neighbours, rings, within);
  const settings = {
    tool: 'smooth' as const,
    joint: 0,
    strength: 1,
    value: 0,
    allInfluences: true,
    limit,
    areas: areasOf(confines, part),
  };
  const stroke = new Stroke(part, rows, workspace, settings, locks);
  // A band of this width is level after about as many passes as its width has points, squared.
  const passes = 2 * rings * rings + 1;
  for (let pass = 0; pass < passes; pass++) {
    workspace.points.set(band);
    workspace.amounts.fill(1, 0, band.length);
    stroke.dab(band.length);
  }
  const { delta } = stroke.finish();
  const rowsOfPart: WeightRows[] = [];
  rowsOfPart[part] = rows;
  apply(rowsOfPart, invert([delta]));
  return delta;
}
