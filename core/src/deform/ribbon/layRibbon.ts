import { mat4, vec3 } from 'gl-matrix';
import { childrenOf, restPlaces, type Skeleton } from '../../skeleton/skeleton.ts';
import type { LaidRibbon, Ribbon } from './Ribbon.ts';
import { restCurve } from './RibbonPoser.ts';
import { FRAMES, type RibbonCurve } from './ribbonCurve.ts';
import type { WeightRows } from '../../weights/rows.ts';

/** A part at rest. */
interface RibbonPart {
  readonly positions: Float32Array;
  readonly inverseBinds: Float32Array;
  readonly pointCount: number;
}

export interface RibbonHold {
  /** Points within this distance of the ribbon are held whole, scene units; over `fall` of it more it lets go. */
  readonly width: number;
  readonly fall: number;
  /** How much of each point may be held, 0..1; all of it where it is missing. */
  readonly mask?: Float32Array;
}

/** Behind its start a ribbon lets go over so many of its widths. */
const BEHIND = 1;

/** Where a chain runs at rest, in the scene: its joints, then the end of the last one: its child, or as long again as the bone before. */
export function chainPlaces(skeleton: Skeleton, joints: readonly number[]): Float64Array {
  const places = restPlaces(skeleton);
  const last = joints[joints.length - 1];
  const children = childrenOf(skeleton)[last];
  const at = (joint: number): number[] => [...places.subarray(joint * 3, joint * 3 + 3)];
  const end =
    children.length > 0
      ? at(children[0])
      : at(last).map((x, k) => 2 * x - at(joints[Math.max(0, joints.length - 2)])[k]);
  return Float64Array.from([...joints.flatMap(at), ...end]);
}

/** Points that a chain has at least this much of are the ribbon's. */
const OWN_SHARE = 0.5;
/** So many of them lie within its width, and how much more that is. */
const WITHIN = 0.9;
const SLACK = 1.15;

/**
 * How wide a ribbon has to be for what its joints have of a part, scene units; a quarter of its length where they have nothing.
 */
export function ribbonWidth(
  part: RibbonPart,
  rows: WeightRows,
  skeleton: Skeleton,
  joints: readonly number[],
): number {
  // What hangs on the last one may be anything: a head, a hand.
  const isOwn = new Set(joints.length > 2 ? joints.slice(0, -1) : joints);
  const ribbon = { joints, controls: joints.length + 1, ...PLAIN };
  const { curve, scale, chain } = curveIn(part, skeleton, ribbon);
  const distances: number[] = [];
  for (let p = 0; p < part.pointCount; p++) {
    let share = 0;
    for (let k = p * rows.stride; k < (p + 1) * rows.stride && rows.values[k] > 0; k++)
      if (isOwn.has(rows.joints[k])) share += rows.values[k];
    if (share >= OWN_SHARE) distances.push(nearestShare(curve.places, part.positions, p).distance);
  }
  distances.sort((a, b) => a - b);
  const found = distances.at(Math.floor(WITHIN * distances.length));
  return scale * (found === undefined || found === 0 ? restCurveLength(chain) / 4 : SLACK * found);
}

const PLAIN = { isStartHeld: false, isEndHeld: false, sharesTwist: false, keepsVolume: false };

function restCurveLength(chain: Float64Array): number {
  let sum = 0;
  for (let i = 3; i < chain.length; i += 3)
    sum += Math.hypot(chain[i] - chain[i - 3], chain[i + 1] - chain[i - 2], chain[i + 2] - chain[i - 1]);
  return sum;
}

/** Lays a ribbon into a part: where along it each point is held, and how much of it. */
export function layRibbon(
  part: RibbonPart,
  skeleton: Skeleton,
  ribbon: Ribbon,
  hold: RibbonHold,
): LaidRibbon {
  const { positions, pointCount } = part;
  const { curve, scale, chain } = curveIn(part, skeleton, ribbon);
  const shares = new Float32Array(pointCount);
  const amounts = new Float32Array(pointCount);
  const [width, fades] = [hold.width / scale, Math.max(1e-9, hold.fall * (hold.width / scale))];
  const isNear = nearBox(curve.places, width + fades);
  for (let p = 0; p < pointCount; p++) {
    if (!isNear(positions, p * 3)) continue;
    const found = nearestShare(curve.places, positions, p);
    shares[p] = found.share;
    const amount = smooth(1 - (found.distance - width) / fades) * smooth(1 - found.behind / (BEHIND * width));
    amounts[p] = amount * (hold.mask ? hold.mask[p] : 1);
  }
  return { ribbon, chain, shares, amounts, scale };
}

/** A ribbon's curve at rest in a part's own space, and where its chain runs. */
function curveIn(
  { inverseBinds }: RibbonPart,
  skeleton: Skeleton,
  ribbon: Ribbon,
): { curve: RibbonCurve; chain: Float64Array; scale: number } {
  const place = mat4.clone(inverseBinds.slice(-16));
  const back = mat4.invert(mat4.create(), place) ?? mat4.create();
  const chain = chainPlaces(skeleton, ribbon.joints);
  for (let i = 0; i < chain.length; i += 3) {
    const [x, y, z] = chain.subarray(i, i + 3);
    chain.set(vec3.transformMat4(vec3.create(), [x, y, z], back), i);
  }
  const scale = Math.cbrt(Math.abs(mat4.determinant(place))) || 1;
  return { curve: restCurve(ribbon, chain), chain, scale };
}

/** Whether a point lies in the box about places, wider by so much. */
function nearBox(places: Float64Array, by: number): (positions: Float32Array, at: number) => boolean {
  const [least, most] = [
    [Infinity, Infinity, Infinity],
    [-Infinity, -Infinity, -Infinity],
  ];
  places.forEach((x, i) => {
    least[i % 3] = Math.min(least[i % 3], x - by);
    most[i % 3] = Math.max(most[i % 3], x + by);
  });
  return (positions, at) =>
    [0, 1, 2].every((k) => positions[at + k] >= least[k] && positions[at + k] <= most[k]);
}

const smooth = (x: number): number => (x <= 0 ? 0 : x >= 1 ? 1 : x * x * (3 - 2 * x));

/** Where on a line of frames a point is nearest; how far off it is, and how far behind the line's start. */
function nearestShare(
  places: Float64Array,
  positions: Float32Array,
  p: number,
): { share: number; distance: number; behind: number } {
  let [best, share, behind] = [Infinity, 0, 0];
  for (let i = 0; i + 1 < FRAMES; i++) {
    let [along, squares] = [0, 0];
    for (let k = 0; k < 3; k++) {
      const d = places[i * 3 + 3 + k] - places[i * 3 + k];
      along += d * (positions[p * 3 + k] - places[i * 3 + k]);
      squares += d * d;
    }
    const free = squares > 0 ? along / squares : 0;
    const t = Math.max(0, Math.min(1, free));
    let far = 0;
    for (let k = 0; k < 3; k++) {
      const d = places[i * 3 + 3 + k] - places[i * 3 + k];
      far += (positions[p * 3 + k] - places[i * 3 + k] - t * d) ** 2;
    }
    if (far >= best) continue;
    best = far;
    share = (i + t) / (FRAMES - 1);
    behind = i === 0 && free < 0 ? -free * Math.sqrt(squares) : 0;
  }
  return { share, distance: Math.sqrt(Math.max(0, best - behind * behind)), behind };
}
