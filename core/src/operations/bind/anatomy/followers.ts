import type { Vec3 } from '../../../math/vector.ts';
import type { Skeleton } from '../../../skeleton/skeleton.ts';
import { membersOf } from '../../../spatial/groups.ts';
import type { BindSpace } from '../../../document/space/bindSpace.ts';

/** An island is a ball when its points are about equally far from their middle. */
const BALL_SPREAD = 0.3;
const FEWEST_BALL_POINTS = 12;
const LARGEST_BALL_SHARE = 0.1;

/** Balls about a leaf: an eye that turns in its socket. Where several joints could be it, one that is called an eye. */
export function findFollowers(
  { joints }: Skeleton,
  places: Float32Array,
  deforms: (joint: number) => boolean,
  { islands, islandPoints, positions, pointCount }: BindSpace,
): Map<number, number> {
  const followers = new Map<number, number>();
  const hasChild = new Set(joints.map(({ parent }) => parent));
  for (let island = 0; island < islands.count; island++) {
    const points = membersOf(islandPoints, island);
    if (points.length < FEWEST_BALL_POINTS || points.length > LARGEST_BALL_SHARE * pointCount) continue;
    const { middle, mean, spread } = measureBall(positions, points);
    if (spread > BALL_SPREAD * mean) continue;
    let best = -1;
    let least = Infinity;
    joints.forEach(({ name }, joint) => {
      if (!deforms(joint) || hasChild.has(joint)) return;
      const eye = /eye/i.test(name) && !/lid|brow|lash/i.test(name);
      const far = Math.hypot(...middle.map((x, k) => places[joint * 3 + k] - x)) / mean;
      if (far > (eye ? 1 : 0.35)) return;
      const rank = far - (eye ? 1 : 0);
      if (rank < least) {
        least = rank;
        best = joint;
      }
    });
    if (best >= 0) followers.set(island, best);
  }
  return followers;
}

/** The middle of points, and how far they are from it: the mean, and the spread about it. */
function measureBall(
  positions: Float32Array,
  points: Uint32Array,
): { middle: Vec3; mean: number; spread: number } {
  let [x, y, z] = [0, 0, 0];
  for (const p of points) {
    x += positions[p * 3];
    y += positions[p * 3 + 1];
    z += positions[p * 3 + 2];
  }
  const middle: Vec3 = [x / points.length, y / points.length, z / points.length];
  let sum = 0;
  let squares = 0;
  for (const p of points) {
    const [dx, dy, dz] = [
      positions[p * 3] - middle[0],
      positions[p * 3 + 1] - middle[1],
      positions[p * 3 + 2] - middle[2],
    ];
    const squared = dx * dx + dy * dy + dz * dz;
    sum += Math.sqrt(squared);
    squares += squared;
  }
  const mean = sum / points.length;
  return { middle, mean, spread: Math.sqrt(Math.max(0, squares / points.length - mean * mean)) };
}
