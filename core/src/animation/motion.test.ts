import { beforeAll, describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
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
import { mapMotion } from './mapMotion.ts';
import { retargetMotion } from './retarget.ts';
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

  /** Legs below one child of the root, the spine below another, and hair that hangs on neither. */
  function apart(): Skeleton {
    const { joints } = body(camel);
    const root = skeletonOf([['Root', -1, [0, 0, 0]]]).joints[0];
    const moved = joints.map((joint): Skeleton['joints'][number] => {
      const parent = joint.name === 'Spine' || joint.name === 'Hips' ? 0 : joint.parent + 1;
      return {
        ...joint,
        id: `${joint.id}+`,
        parent,
        ...(joint.name === 'Spine' && { translation: [0, 12, 0] }),
      };
    });
    const hair = { ...joints[0], id: 'hair', name: 'Hair', parent: -1, translation: [0, 18, 0] as const };
    return { joints: [root, ...moved, hair] };
  }

  test('where legs and spine hang on different branches, nothing of the body stays behind', () => {
    const skeleton = apart();
    const weighted = Uint8Array.from(skeleton.joints, ({ name }) => Number(name !== 'Root'));
    expect(
      findRoles(skeleton)
        .get('spine')
        ?.map((joint) => skeleton.joints[joint].name),
    ).toEqual(['Spine', 'Chest']);
    const rest = restPlaces(skeleton);
    const far = (at: (joint: number) => number[], a: string, b: string): number =>
      Math.hypot(...at(jointCalled(skeleton, a)).map((x, k) => x - at(jointCalled(skeleton, b))[k]));
    const atRest = (joint: number): number[] => [...rest.subarray(joint * 3, joint * 3 + 3)];
    for (const name of SHELF_MOTIONS) {
      const bvh = shelfMotion(name);
      const map = mapMotion(own(skeleton), bvh);
      const clip = retargetMotion({ ...own(skeleton), weighted }, bvh, map, name);
      for (let frame = 0; frame < frameCount(clip); frame += 5) {
        const at = placesIn(skeleton, sampleClip(clip, frame / clip.rate));
        for (const [a, b] of [
          ['Hips', 'Spine'],
          ['Hips', 'Hair'],
        ])
          expect(far(at, a, b)).toBeCloseTo(far(atRest, a, b), 2);
      }
    }
  });

  test('whatever follows whatever, no bone changes its length', () => {
    const skeleton = body(camel);
    const rest = restPlaces(skeleton);
    const hips = jointCalled(skeleton, 'Hips');
    fc.assert(
      fc.property(
        fc.array(fc.integer({ min: -1, max: walk.joints.length - 1 }), {
          minLength: skeleton.joints.length,
          maxLength: skeleton.joints.length,
        }),
        (follows) => {
          if (follows.every((from) => from < 0)) return;
          const map = Int32Array.from(follows);
          const clip = retargetMotion(own(skeleton), walk, map, 'any');
          const carriers = clip.tracks.filter(({ path }) => path === 'translation');
          for (const frame of [0, 17]) {
            const at = placesIn(skeleton, sampleClip(clip, frame / clip.rate));
            skeleton.joints.forEach(({ parent }, joint) => {
              if (parent < 0 || (joint !== hips && carriers.some((each) => each.joint === joint))) return;
              const length = Math.hypot(...at(joint).map((x, k) => x - at(parent)[k]));
              const wanted = Math.hypot(...[0, 1, 2].map((k) => rest[joint * 3 + k] - rest[parent * 3 + k]));
              expect(Math.abs(length / wanted - 1)).toBeLessThan(1e-3);
            });
          }
        },
      ),
      { numRuns: 60 },
    );
  });

  test('a chain of other counts is spread: ends meet ends, what is between turns in between', () => {
    const long = skeletonOf([
      ['hips', -1, [0, 10, 0]],
      ['spine', 0, [0, 11, 0]],
      ['left_upperarm', 1, [2, 12, 0]],
      ['left_forearm', 2, [4, 12, 0]],
      ['right_upperarm', 1, [-2, 12, 0]],
      ['right_forearm', 4, [-4, 12, 0]],
      ['neck_1', 1, [0, 12.5, 0]],
      ['neck_2', 6, [0, 13, 0]],
      ['neck_3', 7, [0, 13.5, 0]],
      ['neck_4', 8, [0, 14, 0]],
      ['head', 9, [0, 15, 0]],
    ]);
    const look = shelfMotion('Look about');
    const source = new BvhPoser(look);
    const clip = retargetMotion(own(long), look, mapMotion(own(long), look), 'look');
    const turnOf = (name: string, seconds: number): number => {
      const world = new Float32Array(long.joints.length * 16);
      poseWorld(long, sampleClip(clip, seconds), world);
      const o = jointCalled(long, name) * 16;
      return Math.atan2(world[o + 8], world[o + 10]);
    };
    const neck = look.joints.findIndex(({ name }) => name === 'Neck');
    let most = 0;
    for (let frame = 0; frame < look.frames; frame += 9) {
      source.pose(frame);
      const [x, y, z, w] = source.turnOf(neck);
      const theirs = Math.atan2(2 * (x * z + w * y), 1 - 2 * (x * x + y * y));
      const seconds = frame * look.frameSeconds;
      const turns = [1, 2, 3, 4].map((i) => turnOf(`neck_${i}`, seconds));
      expect(turns[3]).toBeCloseTo(theirs, 2);
      most = Math.max(most, Math.abs(theirs));
      const steps = turns.map((turn, i) => turn - (i === 0 ? turnOf('spine', seconds) : turns[i - 1]));
      for (const step of steps) expect(Math.abs(step)).toBeLessThan(Math.abs(turns[3]) / 2 + 0.02);
    }
    expect(most).toBeGreaterThan(0.1);
  });

  test('what is not called a head but carries a face is one', () => {
    const skeleton = skeletonOf([
      ['hips', -1, [0, 10, 0]],
      ['spine', 0, [0, 12, 0]],
      ['left_upperarm', 1, [2, 12, 0]],
      ['left_forearm', 2, [4, 12, 0]],
      ['right_upperarm', 1, [-2, 12, 0]],
      ['right_forearm', 4, [-4, 12, 0]],
      ['root_neck', 1, [0, 13, 0]],
      ['neck', 6, [0, 14, 0]],
      ['jaw', 7, [0, 14, 1]],
      ['lower_lip', 8, [0, 14, 2]],
      ['eye_left', 7, [1, 15, 1]],
    ]);
    const roles = findRoles(skeleton);
    expect(roles.get('head')).toEqual([7]);
    expect(roles.get('neck')).toEqual([6]);
  });

  test('in place the body does not get on, and its feet do what they did', () => {
    const skeleton = body(camel);
    const subject = own(skeleton);
    const map = mapMotion(subject, walk);
    const [going, staying] = [false, true].map((inPlace) =>
      retargetMotion(subject, walk, map, 'walk', { inPlace }),
    );
    const [hips, foot] = ['Hips', 'LeftFoot'].map((name) => jointCalled(skeleton, name));
    const wayOf = (clip: Clip): number => {
      const [first, last] = [0, clip.seconds].map((seconds) =>
        placesIn(skeleton, sampleClip(clip, seconds))(hips),
      );
      return Math.hypot(last[0] - first[0], last[2] - first[2]);
    };
    expect(wayOf(going)).toBeGreaterThan(3);
    expect(wayOf(staying)).toBeLessThan(0.15 * wayOf(going));
    for (let frame = 0; frame < frameCount(going); frame += 5) {
      const [one, other] = [going, staying].map((clip) => {
        const at = placesIn(skeleton, sampleClip(clip, frame / clip.rate));
        return at(foot).map((x, k) => x - at(hips)[k]);
      });
      expect(other).toEqual(one.map((x) => expect.closeTo(x, 2)));
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
