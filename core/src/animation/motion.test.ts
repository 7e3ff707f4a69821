import { beforeAll, describe, expect, test } from '@jest/globals';
import { skeletonOf } from '../operations/bind/testBody.ts';
import { readBvh, writeBvh } from '../formats/bvh.ts';
import { type Bvh, skeletonOfBvh } from './bvhMotion.ts';
import { poseWorld } from '../skeleton/pose.ts';
import { blendPoses } from '../skeleton/posing.ts';
import { pairJoints } from '../skeleton/pairs.ts';
import { findRoles } from '../skeleton/roles.ts';
import { restPlaces, type Skeleton } from '../skeleton/skeleton.ts';
import { frameCount, sampleClip, sampleTrack, type Clip, type Track } from './clip.ts';
import { BvhPoser } from './bvhPoser.ts';
import { findMotionRanges, rangePoses, turnedBy } from './motionRange.ts';
import { mapMotion, retargetMotion } from './retarget.ts';
import { shelfMotion, SHELF_MOTIONS } from './shelf.ts';

/** A small body with two legs: what is given is where joints stand; names as `names` has them. */
function body(names: (role: string) => string = (role) => role, scale = 1): Skeleton {
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

const pairsOf = (skeleton: Skeleton) => pairJoints(skeleton, restPlaces(skeleton), 0.01);
const jointCalled = ({ joints }: Skeleton, name: string): number =>
  joints.findIndex((one) => one.name === name);

function placesIn(skeleton: Skeleton, pose: Parameters<typeof poseWorld>[1]): (joint: number) => number[] {
  const world = new Float32Array(skeleton.joints.length * 16);
  poseWorld(skeleton, pose, world);
  return (joint) => [...world.subarray(joint * 16 + 12, joint * 16 + 15)];
}

describe('roles', () => {
  test.each([
    ['bones', (role: string) => role],
    ['camel case with a prefix', (role: string) => `rig:${camel(role)}`],
    [
      'short sides',
      (role: string) =>
        role.replace(
          /^(left|right)_(.*)$/,
          (_, side: string, name: string) => `${name}.${side[0].toUpperCase()}`,
        ),
    ],
  ])('are told in the spelling of %s', (_, names) => {
    const skeleton = body(names);
    const roles = findRoles(skeleton);
    const told = [...roles].map(([role, joints]) => [role, joints.map((j) => skeleton.joints[j].name)]);
    const wanted = {
      hips: ['hips'],
      'left shin': ['left_shin'],
      'right upper arm': ['right_upperarm'],
      'left toes': ['left_toes'],
    };
    for (const [role, list] of Object.entries(wanted)) expect(told).toContainEqual([role, list.map(names)]);
    expect(roles.get('spine')).toEqual([1, 2]);
  });

  test('names of joints (hip, knee, ankle; shoulder, elbow, wrist) mean the bones behind them', () => {
    const words: Record<string, string> = {
      thigh: 'Hip',
      shin: 'Knee',
      foot: 'Ankle',
      toes: 'Toes',
      upperarm: 'Shoulder',
      forearm: 'Elbow',
      hand: 'Wrist',
    };
    const skeleton = body((role) =>
      role.replace(/_(.*)$/, (__, name: string) => words[name]).replace(/^./, (c) => c.toUpperCase()),
    );
    const roles = findRoles(skeleton);
    for (const [role, name] of [
      ['left thigh', 'LeftHip'],
      ['left shin', 'LeftKnee'],
      ['left foot', 'LeftAnkle'],
      ['right upper arm', 'RightShoulder'],
      ['right hand', 'RightWrist'],
    ] as const)
      expect(roles.get(role)?.map((j) => skeleton.joints[j].name)).toEqual([name]);
  });
});

function camel(role: string): string {
  return role.replace(/(^|_)([a-z])/g, (_, __, letter: string) => letter.toUpperCase());
}

describe('ranges of motion', () => {
  const skeleton = body();
  const places = restPlaces(skeleton);
  const ranges = findMotionRanges(skeleton, places, pairsOf(skeleton), () => true);
  const rangeOf = (name: string) => ranges.find(({ joint }) => joint === jointCalled(skeleton, name));
  const moved = (name: string, tip: string, turn: 'bend' | 'side' | 'twist', degrees: number): number[] => {
    const range = rangeOf(name);
    if (!range) throw new Error(`There is no range of ${name}.`);
    const pose = turnedBy(range, { bend: 0, side: 0, twist: 0, [turn]: degrees });
    const joint = jointCalled(skeleton, tip);
    const at = placesIn(skeleton, { [range.joint]: pose })(joint);
    return at.map((x, k) => x - places[joint * 3 + k]);
  };

  test('kinds by names: knees bend back, elbows and hips forward, arms go up', () => {
    expect(rangeOf('left_shin')).toMatchObject({ kind: 'hinge', limits: { bend: [0, 120], side: [0, 0] } });
    expect(rangeOf('left_thigh')?.kind).toBe('ball');
    expect(moved('left_shin', 'left_foot', 'bend', 40)[2]).toBeLessThan(-2);
    expect(moved('left_thigh', 'left_foot', 'bend', 40)[2]).toBeGreaterThan(4);
    expect(moved('left_forearm', 'left_hand', 'bend', 40)[2]).toBeGreaterThan(1.5);
    expect(moved('left_upperarm', 'left_hand', 'side', 40)[1]).toBeGreaterThan(3);
    expect(moved('neck', 'head', 'bend', 30)[2]).toBeGreaterThan(0.4);
  });

  test('right and left mirror each other at the same angles', () => {
    for (const [joint, tip] of [
      ['thigh', 'foot'],
      ['shin', 'foot'],
      ['upperarm', 'hand'],
      ['forearm', 'hand'],
    ]) {
      for (const turn of ['bend', 'side', 'twist'] as const) {
        const [left, right] = ['left', 'right'].map((side) =>
          moved(`${side}_${joint}`, `${side}_${tip}`, turn, 35),
        );
        expect([-right[0], right[1], right[2]]).toEqual(left.map((x) => expect.closeTo(x, 4)));
      }
    }
  });

  test('at most eight poses, none of them rest; a person’s limits stand; what moves nothing is fixed', () => {
    for (const range of ranges) expect(rangePoses(range).length).toBeLessThanOrEqual(8);
    const shin = jointCalled(skeleton, 'left_shin');
    const limits = { bend: [0, 45], side: [-5, 5], twist: [0, 0] } as const;
    const given = findMotionRanges(skeleton, places, pairsOf(skeleton), (joint) => joint === shin, {
      [shin]: limits,
    });
    const own = given.find(({ joint }) => joint === shin);
    expect(own && rangePoses(own).map(({ angles }) => [angles.bend, angles.side])).toEqual([
      [45, 0],
      [30, 0],
      [15, 0],
      [0, 5],
      [0, -5],
    ]);
    expect(given.filter(({ kind }) => kind !== 'fixed')).toHaveLength(1);
  });

  test('without names a joint that is bent at rest is a hinge the way it bends', () => {
    const chain = skeletonOf([
      ['a', -1, [0, 0, 0]],
      ['b', 0, [0, -4, 0]],
      ['c', 1, [0, -7, 2]],
    ]);
    const [, knee] = findMotionRanges(chain, restPlaces(chain), pairsOf(chain), () => true);
    expect(knee.kind).toBe('hinge');
    const at = placesIn(chain, { 1: turnedBy(knee, { bend: 30, side: 0, twist: 0 }) })(2);
    expect(at[2]).toBeGreaterThan(2);
    expect(knee.limits.bend[0]).toBe(-34);
  });
});

describe('clips', () => {
  const track = (change: Partial<Track>): Track => ({
    joint: 0,
    path: 'translation',
    interpolation: 'LINEAR',
    times: Float32Array.from([0, 1, 3]),
    values: Float32Array.from([0, 0, 0, 2, 0, 0, 2, 4, 0]),
    ...change,
  });

  test('linear, stepped, and held before and behind', () => {
    expect(sampleTrack(track({}), 0.5)).toEqual([1, 0, 0]);
    expect(sampleTrack(track({}), 2)).toEqual([2, 2, 0]);
    expect(sampleTrack(track({}), -1)).toEqual([0, 0, 0]);
    expect(sampleTrack(track({}), 9)).toEqual([2, 4, 0]);
    expect(sampleTrack(track({ interpolation: 'STEP' }), 2.99)).toEqual([2, 0, 0]);
  });

  test('a cubic through its keys with its tangents; turns along the shortest way', () => {
    const cubic = track({
      interpolation: 'CUBICSPLINE',
      times: Float32Array.from([0, 2]),
      values: Float32Array.from([0, 0, 0, 1, 0, 0, 3, 0, 0, 3, 0, 0, 7, 0, 0, 0, 0, 0]),
    });
    // A line of slope 3 has no other cubic.
    for (const t of [0, 0.5, 1, 1.5, 2]) expect(sampleTrack(cubic, t)[0]).toBeCloseTo(1 + 3 * t, 5);
    const turn = track({
      path: 'rotation',
      times: Float32Array.from([0, 1]),
      values: Float32Array.from([0, 0, 0, 1, 0, 0, -Math.SQRT1_2, -Math.SQRT1_2]),
    });
    const eighth = Math.PI / 8;
    expect(sampleTrack(turn, 0.5)).toEqual(
      [0, 0, Math.sin(eighth), Math.cos(eighth)].map((x) => expect.closeTo(x, 5)),
    );
  });

  test('a blend of poses goes from one to the other', () => {
    const to = { 2: { rotation: [1, 0, 0, 0], translation: [4, 0, 0], scale: [3, 1, 1] } } as const;
    expect(blendPoses({}, to, 0)).toEqual({});
    expect(blendPoses({}, to, 1)[2].translation).toEqual([4, 0, 0]);
    expect(blendPoses({}, to, 0.5)[2]).toMatchObject({ translation: [2, 0, 0], scale: [2, 1, 1] });
  });
});

describe('a motion on another skeleton', () => {
  const own = (skeleton: Skeleton) => ({ skeleton, pairs: pairsOf(skeleton) });
  let walk: Bvh;
  beforeAll(() => {
    walk = readBvh(writeBvh(shelfMotion('Walk')));
  });

  function retargeted(skeleton: Skeleton, bvh: Bvh): Clip {
    return retargetMotion(own(skeleton), bvh, mapMotion(own(skeleton), bvh), 'motion');
  }

  test('feet stand still where the motion’s feet do, and never sink, whatever the size', () => {
    for (const scale of [0.1, 1, 40]) {
      const skeleton = body(camel, scale);
      const clip = retargeted(skeleton, walk);
      const foot = jointCalled(skeleton, 'LeftFoot');
      const rest = restPlaces(skeleton)[foot * 3 + 1];
      const source = new BvhPoser(walk);
      const theirs = walk.joints.findIndex(({ name }) => name === 'LeftFoot');
      let [least, slid, standing] = [Infinity, 0, 0];
      let before: { at: number[]; along: number[] } | undefined;
      for (let frame = 0; frame < frameCount(clip); frame++) {
        source.pose(frame);
        const { along } = source.footFrom(theirs);
        const at = placesIn(skeleton, sampleClip(clip, frame / clip.rate))(foot);
        least = Math.min(least, at[1]);
        if (before && Math.hypot(along[0] - before.along[0], along[2] - before.along[2]) < 0.01) {
          standing++;
          slid = Math.max(slid, Math.hypot(at[0] - before.at[0], at[2] - before.at[2]));
        }
        before = { at, along };
      }
      expect(least).toBeGreaterThan(rest - 0.02 * scale);
      expect(standing).toBeGreaterThan(15);
      // What is left comes from the breadth of the hips, which turns with them; the hips are ten high.
      expect(slid).toBeLessThan(0.02 * scale);
    }
  });

  test('rest poses that differ: arms that hang down end where the motion has them', () => {
    const straight = body(camel);
    const hanging: Skeleton = {
      joints: straight.joints.map((joint) => {
        const side = joint.side === 'left' ? 1 : -1;
        if (/Forearm|Hand/.test(joint.name)) return { ...joint, translation: [0, -3, 0] as const };
        return /UpperArm|Upperarm/.test(joint.name)
          ? { ...joint, translation: [2 * side, 1.5, 0] as const }
          : joint;
      }),
    };
    const wave = shelfMotion('Wave');
    const [one, other] = [straight, hanging].map((skeleton) => {
      const clip = retargeted(skeleton, wave);
      const place = placesIn(skeleton, sampleClip(clip, clip.seconds / 2));
      const [arm, hand] = ['LeftUpperarm', 'LeftHand'].map((name) => place(jointCalled(skeleton, name)));
      const direction = hand.map((x, k) => x - arm[k]);
      return direction.map((x) => x / Math.hypot(...direction));
    });
    expect(other).toEqual(one.map((x) => expect.closeTo(x, 3)));
    // The hand that waves is up.
    expect(one[1]).toBeGreaterThan(0.7);
  });

  test('a motion that begins turned about begins ahead', () => {
    const turned: Bvh = { ...walk, values: walk.values.slice() };
    const width = walk.values.length / walk.frames;
    for (let frame = 0; frame < walk.frames; frame++) {
      const at = frame * width;
      const [x, z] = [walk.values[at], walk.values[at + 2]];
      // A quarter to the left, hips and way.
      turned.values[at] = z;
      turned.values[at + 2] = -x;
      turned.values[at + 3] = 0;
      turned.values[at + 4] = 0;
      turned.values[at + 5] = 90;
    }
    const clip = retargeted(body(), turned);
    const place = placesIn(body(), sampleClip(clip, 0));
    const [left, right] = ['left_thigh', 'right_thigh'].map((name) => place(jointCalled(body(), name)));
    expect(left[0] - right[0]).toBeGreaterThan(1.8);
    const last = placesIn(body(), sampleClip(clip, clip.seconds))(0);
    expect(last[2] - place(0)[2]).toBeGreaterThan(3);
  });

  test('every motion of the shelf goes onto the body without breaking a bone', () => {
    const skeleton = body();
    const rest = restPlaces(skeleton);
    for (const name of SHELF_MOTIONS) {
      const clip = retargeted(skeleton, shelfMotion(name));
      for (let frame = 0; frame < frameCount(clip); frame += 7) {
        const place = placesIn(skeleton, sampleClip(clip, frame / clip.rate));
        skeleton.joints.forEach(({ parent }, joint) => {
          if (parent < 0) return;
          const [a, b] = [place(joint), place(parent)];
          const length = Math.hypot(...a.map((x, k) => x - b[k]));
          const wanted = Math.hypot(...[0, 1, 2].map((k) => rest[joint * 3 + k] - rest[parent * 3 + k]));
          expect(length).toBeCloseTo(wanted, 3);
        });
      }
    }
  });

  test('on a skeleton that it does not fit nothing is mapped, and that is refused in a sentence', () => {
    const odd = skeletonOf([
      ['petal_a', -1, [0, 0, 0]],
      ['petal_b', 0, [0, 1, 0]],
    ]);
    const map = mapMotion(own(odd), walk);
    expect([...map]).toEqual([-1, -1]);
    expect(() => retargetMotion(own(odd), walk, map, 'x')).toThrow('None of the motion’s joints is known');
    // Said by hand it goes.
    map[0] = 0;
    expect(retargetMotion(own(odd), walk, map, 'x').tracks.length).toBe(2);
    expect(skeletonOfBvh(walk).joints.length).toBe(walk.joints.length);
  });
});
