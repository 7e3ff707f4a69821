import { influenceCount, type WeightRows } from '@judoka/core/weights';
import { childrenOf, type Skeleton } from '@judoka/core/skeleton';
import { COUNT_COLOURS, JOINT_COLOURS } from '../../ui/theme/tokens.ts';
import { rgbOf } from '../../ui/theme/rgbOf.ts';

/** Colours nearer than this, in OKLab, are taken for one another where they meet. */
const ALIKE = 0.12;

/** Which joints meet: Uint8Array, jointCount², 1 for two that hang together or share a point. */
export function meetingJoints(skeleton: Skeleton, rows: readonly WeightRows[]): Uint8Array {
  const count = skeleton.joints.length;
  const meets = new Uint8Array(count * count);
  const meet = (a: number, b: number): void => {
    if (a !== b) meets[a * count + b] = meets[b * count + a] = 1;
  };
  const children = childrenOf(skeleton);
  skeleton.joints.forEach(({ parent }, joint) => {
    if (parent < 0) return;
    for (const near of [parent, skeleton.joints[parent].parent, ...children[parent]])
      if (near >= 0) meet(joint, near);
  });
  for (const { stride, values, joints } of rows) {
    for (let from = 0; from < values.length; from += stride) {
      for (let a = from + 1; a < from + stride && values[a] > 0; a++)
        for (let b = from; b < a; b++) meet(joints[a], joints[b]);
    }
  }
  return meets;
}

/**
 * Which colour of `JOINT_COLOURS` each joint has: those that meet are never alike, as far as there are colours.
 * @param meets  as `meetingJoints` says
 * @param before what they had: kept wherever it still serves
 */
export function chooseColours(meets: Uint8Array, before: readonly number[] = []): number[] {
  const count = Math.sqrt(meets.length);
  const near = Array.from({ length: count }, (_, joint) => {
    const row = meets.subarray(joint * count, (joint + 1) * count);
    return Array.from(row.keys()).filter((other) => row[other] === 1);
  });
  const chosen = new Array<number>(count).fill(-1);
  // Those that meet many choose first.
  const order = Array.from({ length: count }, (_, joint) => joint).sort(
    (a, b) => near[b].length - near[a].length || a - b,
  );
  for (const joint of order) {
    const taken = near[joint].map((other) => chosen[other]).filter((colour) => colour >= 0);
    const held = before.at(joint);
    if (held !== undefined && leastDistance(held, taken) >= ALIKE) chosen[joint] = held;
    else chosen[joint] = pickColour((joint * 5) % JOINT_COLOURS.length, taken);
  }
  return chosen;
}

/** The first colour from `first` on that is like none of the taken ones, or else the one that is least like them. */
function pickColour(first: number, taken: readonly number[]): number {
  let best = first;
  let most = -1;
  for (let k = 0; k < JOINT_COLOURS.length; k++) {
    const colour = (first + k) % JOINT_COLOURS.length;
    const distance = leastDistance(colour, taken);
    if (distance >= ALIKE) return colour;
    if (distance > most) [most, best] = [distance, colour];
  }
  return best;
}

const leastDistance = (colour: number, others: readonly number[]): number =>
  Math.min(Infinity, ...others.map((other) => DISTANCES[colour][other]));

const RGB = JOINT_COLOURS.map(rgbOf);
const DISTANCES = RGB.map((a) => RGB.map((b) => Math.hypot(...oklab(a).map((x, i) => x - oklab(b)[i]))));

/** Lightness and hue as they are seen (Björn Ottosson, "A perceptual color space for image processing", 2020). */
function oklab(colour: readonly number[]): [number, number, number] {
  const [r, g, b] = colour.map((c) => (c <= 0.04045 ? c / 12.92 : ((c + 0.055) / 1.055) ** 2.4));
  const l = Math.cbrt(0.4122214708 * r + 0.5363325363 * g + 0.0514459929 * b);
  const m = Math.cbrt(0.2119034982 * r + 0.6806995451 * g + 0.1073969566 * b);
  const s = Math.cbrt(0.0883024619 * r + 0.2817188376 * g + 0.6299787005 * b);
  return [
    0.2104542553 * l + 0.793617785 * m - 0.0040720468 * s,
    1.9779984951 * l - 2.428592205 * m + 0.4505937099 * s,
    0.0259040371 * l + 0.7827717662 * m - 0.808675766 * s,
  ];
}

/** Writes the colours that joints were given: sRGB 0..1, three a joint. */
export function writeColours(chosen: readonly number[], out: Float32Array): void {
  chosen.forEach((index, joint) => out.set(RGB[index], joint * 3));
}

const COUNTS = COUNT_COLOURS.map(rgbOf);

/** The colour of how many influences a point has, into bytes at `slot`. */
export function tintCount(rows: WeightRows, point: number, out: Uint8Array, slot: number): void {
  const [r, g, b] = COUNTS[Math.min(COUNTS.length - 1, influenceCount(rows, point))];
  out[slot * 3] = r * 255;
  out[slot * 3 + 1] = g * 255;
  out[slot * 3 + 2] = b * 255;
}

/** Mixes the joints' colours by weight at one point, into bytes at `slot`. */
export function tintPoint(
  rows: WeightRows,
  point: number,
  colours: Float32Array,
  out: Uint8Array,
  slot: number,
): void {
  let [r, g, b] = [0, 0, 0];
  for (let k = point * rows.stride, end = k + rows.stride; k < end && rows.values[k] !== 0; k++) {
    const at = rows.joints[k] * 3;
    r += rows.values[k] * colours[at];
    g += rows.values[k] * colours[at + 1];
    b += rows.values[k] * colours[at + 2];
  }
  out[slot * 3] = r * 255;
  out[slot * 3 + 1] = g * 255;
  out[slot * 3 + 2] = b * 255;
}
