import { skeletonOf } from './testBody.ts';
import { pairJoints } from '../skeleton/pairs.ts';
import { poseWorld } from '../skeleton/pose.ts';
import { restPlaces, type Skeleton } from '../skeleton/skeleton.ts';

/** A small body with two legs: what is given is where joints stand; names as `names` has them. */
export function body(names: (role: string) => string = (role) => role, scale = 1): Skeleton {
  const list: [string, string, number, number, number][] = [
    ['hips', '', 0, 10, 0],
    ['spine', 'hips', 0, 12, 0],
    ['chest', 'spine', 0, 14, 0],
    ['neck', 'chest', 0, 16, 0],
    ['head', 'neck', 0, 17, 0],
  ];
  for (const [side, s] of [
    ['left', 1],
    ['right', -1],
  ] as const) {
    list.push(
      [`${side}_upperarm`, 'chest', 2 * s, 15.5, 0],
      [`${side}_forearm`, `${side}_upperarm`, 5 * s, 15.5, 0],
      [`${side}_hand`, `${side}_forearm`, 8 * s, 15.5, 0],
      [`${side}_thigh`, 'hips', 1 * s, 9.5, 0],
      [`${side}_shin`, `${side}_thigh`, 1 * s, 5.2, 0.2],
      [`${side}_foot`, `${side}_shin`, 1 * s, 0.9, 0],
      [`${side}_toes`, `${side}_foot`, 1 * s, 0.1, 1.6],
    );
  }
  const { joints } = skeletonOf(
    list.map(([name, parent, x, y, z]) => [
      names(name),
      list.findIndex(([other]) => other === parent),
      [x * scale, y * scale, z * scale],
    ]),
  );
  return {
    joints: joints.map((joint, i) => ({
      ...joint,
      side: list[i][0].startsWith('left') ? 'left' : list[i][0].startsWith('right') ? 'right' : 'middle',
    })),
  };
}

export const pairsOf = (skeleton: Skeleton) => pairJoints(skeleton, restPlaces(skeleton), 0.01);
export const jointCalled = ({ joints }: Skeleton, name: string): number =>
  joints.findIndex((one) => one.name === name);

export function placesIn(
  skeleton: Skeleton,
  pose: Parameters<typeof poseWorld>[1],
): (joint: number) => number[] {
  const world = new Float32Array(skeleton.joints.length * 16);
  poseWorld(skeleton, pose, world);
  return (joint) => [...world.subarray(joint * 16 + 12, joint * 16 + 15)];
}

export function camel(role: string): string {
  return role.replace(/(^|_)([a-z])/g, (_, __, letter: string) => letter.toUpperCase());
}
