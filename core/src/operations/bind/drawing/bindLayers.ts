import { anchorsOfPoints, layerArea, type Drawing } from '../../../drawing/index.ts';
import { apply, type Delta } from '../../../weights/delta.ts';
import { rewritePoints, type RewriteRules } from '../../../weights/rewritePoints.ts';
import { copyRows } from '../../../weights/rows.ts';
import { jointPlaces } from '../../../document/space/bindSpace.ts';
import type { BindFallback, BindReport, BindRequest, BindSkin } from '../bindRequest.ts';
import { jointsOfLayers, pageBones } from './layerBones.ts';

/** Solid cells a layer is measured in. */
const CELLS = 16_000;

type Bind = (
  skin: BindSkin,
  request: BindRequest,
  watch: (share: number) => void,
) => Promise<{ change: readonly Delta[]; report: BindReport }>;

/**
 * Binds a drawing layer by layer: each to the bones that run in its middle (see {@link jointsOfLayers}), by the method
 * asked for; to one joint as a whole where there is one alone. A handle follows its anchor.
 *
 * @param bind binds some parts to some joints as any surface
 */
export async function bindLayers(
  skin: BindSkin,
  drawing: Drawing,
  request: BindRequest,
  bind: Bind,
  watch: (share: number) => void,
): Promise<{ change: Delta[]; report: BindReport }> {
  const { parts, skeleton } = skin;
  const bones = pageBones(skeleton, jointPlaces(skeleton, parts), request.deforming);
  const joints = jointsOfLayers(
    drawing.layers.map((layer, part) => layerArea(layer, parts[part])),
    bones,
  );
  const change: Delta[] = [];
  const fallbacks: BindFallback[] = [];
  const counts = { asked: 0, changed: 0, held: 0, stiff: 0 };
  for (const [i, part] of request.parts.entries()) {
    watch(i / request.parts.length);
    const asked = pointsOf(skin, part, request);
    counts.asked += asked.length;
    if (joints[part].length === 1) {
      const { delta, held } = wholeTo(joints[part][0], skin, part, asked, request);
      if (delta.points.length > 0) change.push(delta);
      counts.changed += delta.points.length;
      counts.held += held;
      counts.stiff++;
      continue;
    }
    const deforming = new Uint8Array(request.deforming.length);
    for (const joint of joints[part]) deforming[joint] = 1;
    const own = { ...request, cells: request.cells ?? CELLS, parts: [part], deforming };
    const bound = await bind(skin, own, (share) => watch((i + share) / request.parts.length));
    const delta = withHandles(skin, bound.change, drawing, part, request);
    if (delta.points.length > 0) change.push(delta);
    counts.changed += delta.points.length;
    counts.held += bound.report.held;
    counts.stiff += bound.report.stiff;
    fallbacks.push(...bound.report.fallbacks);
  }
  return { change, report: { method: request.method, ...counts, fallbacks } };
}

/** The points of a layer that are to be bound. */
const pointsOf = ({ parts }: BindSkin, part: number, { points }: BindRequest): Uint32Array =>
  points?.get(part) ?? Uint32Array.from({ length: parts[part].pointCount }, (_, p) => p);

function wholeTo(joint: number, { rows }: BindSkin, part: number, asked: Uint32Array, rules: RewriteRules) {
  return rewritePoints(part, rows[part], asked, rules, (_, candidates) => {
    candidates.joints[0] = joint;
    candidates.values[0] = 1;
    candidates.count = 1;
  });
}

/** The binding of a layer, but with each handle that was asked for as its anchor. */
function withHandles(
  skin: BindSkin,
  bound: readonly Delta[],
  { layers }: Drawing,
  part: number,
  request: BindRequest,
): Delta {
  const { parts } = skin;
  const before = skin.rows[part];
  const rows = copyRows(before);
  apply(
    [rows],
    bound.map((delta) => ({ ...delta, part: 0 })),
  );
  const { vertexPoint, pointCount } = parts[part];
  const anchorOf = anchorsOfPoints(layers[part], vertexPoint, pointCount);
  return rewritePoints(part, before, pointsOf(skin, part, request), request, (p, candidates) => {
    const from = anchorOf[p] * rows.stride;
    for (let k = from; k < from + rows.stride && rows.values[k] !== 0; k++) {
      candidates.joints[candidates.count] = rows.joints[k];
      candidates.values[candidates.count++] = rows.values[k];
    }
  }).delta;
}
