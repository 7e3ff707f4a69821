import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { addJoint, moveJoints } from './editSkeleton.ts';
import { mirroredPlace, mirrorJoints } from './mirrorJoints.ts';
import { pairJoints } from './pairs.ts';
import { EMPTY_SKELETON, restPlaces, restWorld, type Skeleton } from './skeleton.ts';
import { applySkeletonChange, setupOf } from './skeletonChange.ts';

type Place = [number, number, number];
let ids = 0;
const newId = (): string => `new ${ids++}`;

function skeletonOf(joints: readonly [string, number, Place][]): Skeleton {
  return joints.reduce<Skeleton>(
    (skeleton, [name, parent, place]) =>
      applySkeletonChange(skeleton, addJoint(skeleton, newId(), parent, name, place)),
    EMPTY_SKELETON,
  );
}
const pairsOf = (skeleton: Skeleton, middle = 0, axis = 0) =>
  pairJoints(skeleton, restPlaces(skeleton), 0.01, {}, { axis, middle, share: 1 });
const mirrored = (skeleton: Skeleton, chosen: number[], middle = 0): Skeleton =>
  applySkeletonChange(skeleton, mirrorJoints(skeleton, chosen, pairsOf(skeleton, middle), 0.01, newId));
const placeOf = (skeleton: Skeleton, name: string): number[] => {
  const joint = skeleton.joints.findIndex((each) => each.name === name);
  return [...restPlaces(skeleton).subarray(joint * 3, joint * 3 + 3)].map((x) => Math.round(x * 1e5) / 1e5);
};

const ARM: [string, number, Place][] = [
  ['chest', -1, [1, 4, 0]],
  ['upper_L', 0, [2, 4, 0]],
  ['fore_L', 1, [3, 3, 0.5]],
  ['hand_L', 2, [4, 2.5, 0.25]],
];

describe('the other side of joints', () => {
  test('stands mirrored about the plane, hangs alike, and is called as the other side is', () => {
    const both = mirrored(skeletonOf(ARM), [1, 2, 3], 1);
    expect(both.joints.map(({ name, parent }) => [name, parent]).slice(4)).toEqual([
      ['upper_R', 0],
      ['fore_R', 4],
      ['hand_R', 5],
    ]);
    expect(placeOf(both, 'upper_R')).toEqual([0, 4, 0]);
    expect(placeOf(both, 'hand_R')).toEqual([-2, 2.5, 0.25]);
    expect([...pairsOf(both).partner]).toEqual([0, 4, 5, 6, 1, 2, 3]);
  });

  test('of a part of a chain hangs on the partner of what the chain hangs on', () => {
    const upper = mirrored(skeletonOf(ARM), [1], 1);
    const all = mirrored(upper, [2, 3], 1);
    expect(all.joints.slice(4).map(({ name, parent }) => [name, parent])).toEqual([
      ['upper_R', 0],
      ['fore_R', 4],
      ['hand_R', 5],
    ]);
  });

  test('of what has one, or stands on the middle, there is none', () => {
    const both = mirrored(skeletonOf(ARM), [1, 2, 3], 1);
    expect(() => mirrored(both, [1, 2, 3], 1)).toThrow(/another side already/);
    expect(() => mirrored(skeletonOf(ARM), [0], 1)).toThrow(/middle of the body/);
  });

  test('a name that tells no side gets an ending, and no name stands twice', () => {
    const one = skeletonOf([['a', -1, [0, 0, 0]], ['fin', 0, [1, 0, 0]], ['fin_other', 0, [2, 5, 0]]]); // prettier-ignore
    const made = mirrored(one, [1]);
    expect(made.joints[3].name).toBe('fin_other_2');
  });

  test('property: frames are each other’s mirror images, turned right-handed, whatever the turns and scales', () => {
    const number = fc.double({ min: -1, max: 1, noNaN: true });
    const turn = fc
      .tuple(number, number, number, number)
      .filter((q) => Math.hypot(...q) > 0.1)
      .map((q): [number, number, number, number] => {
        const length = Math.hypot(...q);
        return [q[0] / length, q[1] / length, q[2] / length, q[3] / length];
      });
    fc.assert(
      fc.property(turn, turn, fc.double({ min: 0.2, max: 5, noNaN: true }), (first, second, scale) => {
        const flat = skeletonOf([['root', -1, [0, 0, 0]], ['a_L', 0, [1, 1, 0]], ['b_L', 1, [2, 2, 1]]]); // prettier-ignore
        const turned: Skeleton = {
          joints: flat.joints.map((joint, i) =>
            i === 0 ? joint : { ...joint, rotation: i === 1 ? first : second, scale: [scale, scale, scale] },
          ),
        };
        // Where the turns have taken a joint to the middle, it has no other side.
        const places = restPlaces(turned);
        fc.pre(Math.abs(places[3]) > 0.05 && Math.abs(places[6]) > 0.05);
        const made = mirrored(turned, [1, 2]);
        const world = restWorld(made);
        for (const [joint, other] of [
          [1, 3],
          [2, 4],
        ]) {
          for (let column = 0; column < 4; column++)
            for (let row = 0; row < 3; row++) {
              const sign = (row === 0 ? -1 : 1) * (column === 0 ? -1 : 1);
              expect(world[other * 16 + column * 4 + row]).toBeCloseTo(
                sign * world[joint * 16 + column * 4 + row],
                4,
              );
            }
        }
      }),
      { numRuns: 60 },
    );
  });

  test('a place is mirrored across any axis', () => {
    expect(mirroredPlace([1, 2, 3], { axis: 2, middle: 1 })).toEqual([1, 2, -1]);
  });
});

describe('joints of a bare mesh', () => {
  test('may all go again: what added the first is undone', () => {
    const first = addJoint(EMPTY_SKELETON, 'a', -1, 'root', [0, 0, 0]);
    const one = applySkeletonChange(EMPTY_SKELETON, first);
    const none = applySkeletonChange(one, [{ joint: 0, before: setupOf(one.joints[0]), after: null }]);
    expect(none.joints[0].removed).toBe(true);
    expect(moveJoints(none, new Map(), true)).toEqual([]);
  });
});

describe('the middle of the body', () => {
  test('is the surface’s where there are no pairs, or so few that it knows better', () => {
    const plane = { axis: 2, middle: 0.5, share: 0.9 };
    const places = (skeleton: Skeleton) => pairJoints(skeleton, restPlaces(skeleton), 0.01, {}, plane);
    expect(places(skeletonOf([['a', -1, [0, 0, 0]]]))).toMatchObject({ axis: 2, middle: 0.5 });
    // Called a pair, but one stands above the other.
    const odd = skeletonOf([['a_L', -1, [0, 0, 0]], ['a_R', 0, [0, 3, 0]]]); // prettier-ignore
    expect(places(odd)).toMatchObject({ axis: 2, middle: 0.5 });
    const three = skeletonOf([
      ['a_L', -1, [1, 0, 0]],
      ['a_R', 0, [-1, 0, 0]],
      ['b_L', 0, [2, 1, 0]],
      ['b_R', 0, [-2, 1, 0]],
      ['c_L', 0, [3, 1, 0]],
      ['c_R', 0, [-3, 1, 0]],
    ]);
    expect(places(three)).toMatchObject({ axis: 0, middle: 0 });
  });
});
