import { childrenOf, type Skeleton } from '@judoka/core/skeleton';
import { influenceCount, type WeightRows } from '@judoka/core/weights';
import { COUNT_COLOURS, JOINT_COLOURS } from '../../ui/theme/tokens.ts';
import { srgb } from './clay.ts';

/**
 * A colour a joint, no joint like its parent, grandparent or siblings.
 * @returns Float32Array, 3·jointCount, sRGB 0..1
 */
export function colourJoints(skeleton: Skeleton): Float32Array {
  const { joints } = skeleton;
  const children = childrenOf(skeleton);
  const chosen = new Int32Array(joints.length).fill(-1);
  joints.forEach(({ parent }, joint) => {
    const near = parent < 0 ? [] : [parent, joints[parent].parent, ...children[parent]];
    const taken = new Set(near.filter((other) => other >= 0).map((other) => chosen[other]));
    const first = (joint * 5) % JOINT_COLOURS.length;
    for (let k = 0; k < JOINT_COLOURS.length; k++) {
      chosen[joint] = (first + k) % JOINT_COLOURS.length;
      if (!taken.has(chosen[joint])) break;
    }
  });
  const colours = new Float32Array(joints.length * 3);
  chosen.forEach((index, joint) => colours.set(srgb(JOINT_COLOURS[index]).toArray(), joint * 3));
  return colours;
}

const COUNTS = COUNT_COLOURS.map((colour) => srgb(colour).toArray());

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
