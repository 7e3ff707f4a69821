import { describe, expect, test } from '@jest/globals';
import { skeletonOf } from '../testing/testBody.ts';
import { findRoles } from '../skeleton/roles.ts';
import { restPlaces } from '../skeleton/skeleton.ts';
import { sampleTrack, type Track } from './clip.ts';
import { findMotionRanges, rangePoses, turnedBy } from './motionRange.ts';
import { body, camel, jointCalled, pairsOf, placesIn } from '../testing/testMotionBody.ts';

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
});
