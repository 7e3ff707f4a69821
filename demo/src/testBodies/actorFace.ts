import { add, mirrored, type Vec3 } from '@judoka/core/math';
import type { DemoMesh } from '../demoMesh.ts';

/** A small joint of the face, and how far around it skin follows. */
interface FaceJoint {
  readonly name: string;
  readonly parent: string;
  readonly place: Vec3;
  readonly end: Vec3;
  readonly radius: number;
}

/** Above and below the mouth, nothing reaches to the other lip. */
const MOUTH = 1.565;

const MIDDLE: readonly (readonly [string, string, Vec3, number])[] = [
  ['jaw', 'head', [0, 1.56, 0.03], 0.055],
  ['nose', 'head', [0, 1.605, 0.125], 0.022],
  ['lip_up', 'head', [0, 1.573, 0.117], 0.016],
  ['lip_low', 'jaw', [0, 1.557, 0.115], 0.016],
  ['chin', 'jaw', [0, 1.53, 0.1], 0.022],
];
const SIDE: readonly (readonly [string, string, Vec3, number])[] = [
  ['brow_in', 'head', [0.016, 1.652, 0.118], 0.016],
  ['brow_mid', 'head', [0.038, 1.657, 0.108], 0.016],
  ['brow_out', 'head', [0.058, 1.652, 0.09], 0.016],
  ['lid_up', 'head', [0.036, 1.637, 0.107], 0.012],
  ['lid_low', 'head', [0.036, 1.62, 0.107], 0.012],
  ['cheek', 'head', [0.052, 1.597, 0.092], 0.024],
  ['nostril', 'head', [0.016, 1.593, 0.116], 0.013],
  ['lip_up_side', 'head', [0.018, 1.572, 0.113], 0.014],
  ['lip_corner', 'head', [0.034, 1.566, 0.104], 0.013],
  ['lip_low_side', 'jaw', [0.018, 1.558, 0.111], 0.014],
];

const OUT: Vec3 = [0, 0, 0.02];

export const FACE_JOINTS: readonly FaceJoint[] = [
  ...MIDDLE.map(([name, parent, place, radius]) => ({ name, parent, place, end: add(place, OUT), radius })),
  ...(['L', 'R'] as const).flatMap((side) =>
    SIDE.map(([name, parent, left, radius]) => {
      const place = side === 'L' ? left : mirrored(left);
      return { name: `${name}_${side}`, parent, place, end: add(place, OUT), radius };
    }),
  ),
];

const LIMIT = 4;
const LEAST = 0.02;

/** Paints the joints of the face over what the head has: each falls off around its place. In place. */
export function weighFace({ positions, weights }: DemoMesh, names: readonly string[]): void {
  const head = names.indexOf('head');
  weights.forEach((row, p) => {
    const there = row.get(head);
    if (there === undefined) return;
    const place = positions.subarray(p * 3, p * 3 + 3);
    const shares = FACE_JOINTS.map(({ name, place: middle, radius }): [number, number] => [
      names.indexOf(name),
      isBeyondMouth(name, place[1]) ? 0 : falloff(distance(place, middle) / radius),
    ]);
    const sum = shares.reduce((total, [, share]) => total + share, 0);
    if (sum === 0) return;
    const most = Math.max(1, sum);
    row.set(head, there * Math.max(0, 1 - sum));
    for (const [joint, share] of shares) if (share > 0) row.set(joint, (there * share) / most);
    keepLargest(row);
  });
}

const isBeyondMouth = (name: string, y: number): boolean =>
  (/^(lip_low|chin|jaw)/.test(name) && y > MOUTH) || (/^(lip_up|nose|nostril)/.test(name) && y < MOUTH);

/** One in the middle and nothing from twice the radius on, smooth at both ends. */
function falloff(x: number): number {
  if (x >= 2) return 0;
  const t = 1 - x / 2;
  return t * t * (3 - 2 * t);
}

const distance = (a: ArrayLike<number>, b: Vec3): number => Math.hypot(a[0] - b[0], a[1] - b[1], a[2] - b[2]);

function keepLargest(row: Map<number, number>): void {
  const kept = [...row]
    .filter(([, share]) => share > LEAST)
    .sort((a, b) => b[1] - a[1])
    .slice(0, LIMIT);
  const sum = kept.reduce((total, [, share]) => total + share, 0);
  row.clear();
  for (const [joint, share] of kept) row.set(joint, share / sum);
}
