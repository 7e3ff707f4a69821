import { contains, isInside, type LayerArea } from '../../../drawing/index.ts';
import { childrenOf, liveJoints, type Skeleton } from '../../../skeleton/skeleton.ts';

/** A bone in the page: from its joint to a child, or a little on where it has none. */
export interface PageBone {
  readonly joint: number;
  readonly from: readonly [number, number];
  readonly to: readonly [number, number];
}

/** Places along a bone at which is asked where it runs. */
const STEPS = 12;
/** So much of a bone lies in a layer that it can be one of it. */
const INSIDE = 0.6;
/** A bone in the middle of a layer is at least so far from its outline, as a share of its size. */
const CLEAR = 0.1;
/** A last joint reaches on by this share of the bone before it. */
const TIP = 0.15;
/** The bones of joints that may have weight. @param places Float32Array, 3 a joint */
export function pageBones(skeleton: Skeleton, places: Float32Array, deforming: Uint8Array): PageBone[] {
  const children = childrenOf(skeleton);
  const at = (joint: number): [number, number] => [places[joint * 3], places[joint * 3 + 1]];
  return liveJoints(skeleton).flatMap((joint): PageBone[] => {
    if (deforming[joint] === 0) return [];
    const from = at(joint);
    const next = children[joint].filter((child) => !skeleton.joints[child].removed);
    if (next.length > 0) return next.map((child) => ({ joint, from, to: at(child) }));
    const { parent } = skeleton.joints[joint];
    const before = parent >= 0 ? at(parent) : from;
    return [
      { joint, from, to: [from[0] + TIP * (from[0] - before[0]), from[1] + TIP * (from[1] - before[1])] },
    ];
  });
}

/**
 * Which joints each layer follows: a bone belongs to the layer in whose middle it runs, a layer without bones to the one
 * that it lies on, or follows the nearest joint.
 *
 * @returns by layer, joints, rising; empty only where there is no bone at all
 */
export function jointsOfLayers(areas: readonly LayerArea[], bones: readonly PageBone[]): number[][] {
  const own = areas.map(() => new Set<number>());
  for (const bone of bones) {
    const fits = areas.map((area) => fitOf(bone, area));
    const best = fits.indexOf(Math.max(...fits));
    if (fits[best] > 0) own[best].add(bone.joint);
  }
  return areas.map((area, i) => {
    if (own[i].size > 0) return rising(own[i]);
    const host = hostOf(area, i, areas, own);
    if (host >= 0) return rising(own[host]);
    const nearest = nearestJoint(area, bones);
    return nearest < 0 ? [] : [nearest];
  });
}

const rising = (joints: ReadonlySet<number>): number[] => [...joints].sort((a, b) => a - b);

/** How well a bone fits a layer: how much of it lies inside, and clear of the outline; of layers one over the other the smallest. */
function fitOf({ from, to }: PageBone, area: LayerArea): number {
  let inside = 0;
  let clear = 0;
  for (let k = 0; k < STEPS; k++) {
    const t = (k + 0.5) / STEPS;
    const [x, y] = [from[0] + t * (to[0] - from[0]), from[1] + t * (to[1] - from[1])];
    if (!contains(area, x, y)) continue;
    inside++;
    clear += clearance(area, x, y);
  }
  const share = inside / STEPS;
  if (share < INSIDE) return 0;
  const size = Math.sqrt(area.area);
  return (share * share * Math.min(1, clear / inside / (CLEAR * size))) / size;
}

function clearance({ fills }: LayerArea, x: number, y: number): number {
  let least = Infinity;
  for (const { shape, lines } of fills) {
    if (!isInside(lines, x, y, shape.fillRule)) continue;
    for (let k = 0; k < lines.places.length; k += 2)
      least = Math.min(least, (lines.places[k] - x) ** 2 + (lines.places[k + 1] - y) ** 2);
  }
  return Math.sqrt(least);
}

/** The layer with bones of which most places of an outline lie inside; of equals the smallest; -1 for none. */
function hostOf(
  { fills }: LayerArea,
  index: number,
  areas: readonly LayerArea[],
  own: readonly ReadonlySet<number>[],
): number {
  let best = -1;
  let most = 0;
  areas.forEach((host, i) => {
    if (i === index || own[i].size === 0) return;
    let met = 0;
    let asked = 0;
    for (const { lines } of fills)
      for (let k = 0; k < lines.places.length; k += 2, asked++)
        if (contains(host, lines.places[k], lines.places[k + 1])) met++;
    // A layer that surrounds what lies on it counts, however large; one that is as large as it counts more.
    const score = asked > 0 ? met / asked / Math.sqrt(host.area) : 0;
    if (score > most) [best, most] = [i, score];
  });
  return best;
}

function nearestJoint({ centre: [x, y] }: LayerArea, bones: readonly PageBone[]): number {
  let best = -1;
  let least = Infinity;
  for (const { joint, from, to } of bones) {
    const [dx, dy] = [to[0] - from[0], to[1] - from[1]];
    const length = dx * dx + dy * dy;
    const t = length > 0 ? Math.max(0, Math.min(1, ((x - from[0]) * dx + (y - from[1]) * dy) / length)) : 0;
    const far = Math.hypot(x - from[0] - t * dx, y - from[1] - t * dy);
    if (far < least) [best, least] = [joint, far];
  }
  return best;
}
