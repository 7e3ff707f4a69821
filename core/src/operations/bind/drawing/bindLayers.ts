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
 * asked for; to one joint as a whole where there is one alone. By volume, layers that the same joints bend are one body. A
 * handle follows its anchor.
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
  const bodies = bodiesOf(request, joints);
  for (const [i, body] of bodies.entries()) {
    watch(i / bodies.length);
    const own = joints[body[0]];
    for (const part of body) counts.asked += pointsOf(skin, part, request).length;
    if (own.length === 1) {
      const { delta, held } = wholeTo(own[0], skin, body[0], pointsOf(skin, body[0], request), request);
      if (delta.points.length > 0) change.push(delta);
      counts.changed += delta.points.length;
      counts.held += held;
      counts.stiff++;
      continue;
    }
    const deforming = new Uint8Array(request.deforming.length);
    for (const joint of own) deforming[joint] = 1;
    const asked = { ...request, cells: request.cells ?? CELLS, parts: body, deforming };
    const bound = await bind(inOnePlane(skin), asked, (share) => watch((i + share) / bodies.length));
    for (const part of body) {
      const delta = withHandles(skin, bound.change, drawing, part, request);
      if (delta.points.length > 0) change.push(delta);
      counts.changed += delta.points.length;
    }
    counts.held += bound.report.held;
    counts.stiff += bound.report.stiff;
    fallbacks.push(...bound.report.fallbacks);
  }
  change.sort((one, other) => one.part - other.part);
  return { change, report: { method: request.method, ...counts, fallbacks } };
}

/**
 * The layers that are bound at once: each alone; by volume, those that the same joints bend are one body, so that what lies
 * over one another bends alike.
 */
function bodiesOf({ method, parts }: BindRequest, joints: readonly (readonly number[])[]): number[][] {
  const bodies = new Map<string, number[]>();
  for (const part of parts) {
    const isShared = method === 'volume' && joints[part].length > 1;
    const key = isShared ? joints[part].join(' ') : `layer ${part}`;
    bodies.set(key, [...(bodies.get(key) ?? []), part]);
  }
  return [...bodies.values()];
}

/** Layers lie a little in front of one another; for a body they do not. */
const inOnePlane = (skin: BindSkin): BindSkin => ({
  ...skin,
  parts: skin.parts.map((part) => ({
    ...part,
    positions: part.positions.map((value, k) => (k % 3 === 2 ? 0 : value)),
  })),
});

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
    bound.filter((delta) => delta.part === part).map((delta) => ({ ...delta, part: 0 })),
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
