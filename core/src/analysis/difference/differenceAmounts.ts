import { weightOf, type WeightRows } from '../../weights/rows.ts';

/** Smaller ones are rounding. */
export const LEAST_DIFFERENCE = 1e-5;

/**
 * How far two states of one part are apart, point by point.
 *
 * @param joint its weight afterwards less that before, -1..1; or -1: all joints, half the summed absolute difference, 0..1
 * @param out   Float32Array, pointCount
 */
export function differenceAmounts(
  before: WeightRows,
  after: WeightRows,
  joint: number,
  out: Float32Array,
): void {
  if (joint < 0) distances(before, after, out);
  else
    for (let p = 0; p < before.pointCount; p++)
      out[p] = weightOf(after, p, joint) - weightOf(before, p, joint);
}

/** Half the summed absolute difference of each two rows. */
function distances(a: WeightRows, b: WeightRows, out: Float32Array): void {
  const held = new Float32Array(0x10000);
  const pairs = joinedPairs(a, b);
  const { values, stride } = a;
  const { values: others } = b;
  for (let p = 0; p < a.pointCount; p++) {
    const first = p * stride;
    // Most rows have the same joints in the same order, and at most four: those are held against each other slot by slot.
    const word = first >> 1;
    const isPlain =
      pairs !== undefined &&
      pairs.own[word] === pairs.others[word] &&
      pairs.own[word + 1] === pairs.others[word + 1] &&
      values[first + 4] === 0 &&
      others[first + 4] === 0;
    const apart = isPlain
      ? (Math.abs(values[first] - others[first]) +
          Math.abs(values[first + 1] - others[first + 1]) +
          Math.abs(values[first + 2] - others[first + 2]) +
          Math.abs(values[first + 3] - others[first + 3])) /
        2
      : rowDistance(a, b, p, held);
    out[p] = apart < ROUNDING ? 0 : apart;
  }
}

/** @param held scratch by joint, all zero; left so */
function rowDistance(a: WeightRows, b: WeightRows, p: number, held: Float32Array): number {
  const first = p * a.stride;
  let sum = 0;
  let n = first;
  for (const end = first + a.stride; n < end && a.values[n] !== 0; n++) {
    held[a.joints[n]] = a.values[n];
    sum += a.values[n];
  }
  let alike = 0;
  const second = p * b.stride;
  for (let m = second, end = second + b.stride; m < end && b.values[m] !== 0; m++) {
    sum += b.values[m];
    alike += Math.min(held[b.joints[m]], b.values[m]);
  }
  while (n-- > first) held[a.joints[n]] = 0;
  // An empty row differs from a whole one by half of it.
  return sum / 2 - alike;
}

/** The joints of both, two slots a word; none where their rows do not lie alike. */
function joinedPairs(a: WeightRows, b: WeightRows): { own: Uint32Array; others: Uint32Array } | undefined {
  const lies = ({ joints }: WeightRows): boolean => joints.byteOffset % 4 === 0;
  if (a.stride !== b.stride || a.stride % 2 !== 0 || a.stride <= 4 || !lies(a) || !lies(b)) return undefined;
  const words = ({ joints }: WeightRows) =>
    new Uint32Array(joints.buffer, joints.byteOffset, joints.length >> 1);
  return { own: words(a), others: words(b) };
}

/** Sums of rows are one but for this. */
const ROUNDING = 2e-6;
