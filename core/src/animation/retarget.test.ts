import { beforeAll, describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { skeletonOf } from '../testing/testBody.ts';
import { readBvh, writeBvh } from '../formats/bvh.ts';
import { type Bvh, skeletonOfBvh } from './bvhMotion.ts';
import { poseWorld } from '../skeleton/pose.ts';
import { findRoles } from '../skeleton/roles.ts';
import { restPlaces, type Skeleton } from '../skeleton/skeleton.ts';
import { BvhPoser } from './bvhPoser.ts';
import { frameCount, sampleClip, type Clip } from './clip.ts';
import { mapMotion } from './mapMotion.ts';
import { retargetMotion } from './retarget.ts';
import { shelfMotion, SHELF_MOTIONS } from './shelf.ts';
import { body, camel, jointCalled, pairsOf, placesIn } from '../testing/testMotionBody.ts';

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
      // The hips are ten high.
      expect(slid).toBeLessThan(0.002 * scale);
    }
  });

  test('hips that are much broader than the motion’s turn over feet that stay where they stand', () => {
    const straight = body(camel);
    const broad: Skeleton = {
      joints: straight.joints.map((joint) =>
        /UpLeg|Thigh/i.test(joint.name)
          ? { ...joint, translation: joint.translation.map((x, k) => (k === 0 ? 3 * x : x)) as never }
          : joint,
      ),
    };
    const looking = readBvh(writeBvh(shelfMotion('Look about')));
    const clip = retargeted(broad, looking);
    const source = new BvhPoser(looking);
    const theirs = looking.joints.findIndex(({ name }) => name === 'LeftFoot');
    const foot = jointCalled(broad, 'LeftFoot');
    let [slid, standing] = [0, 0];
    let before: { at: readonly number[]; along: readonly number[] } | undefined;
    for (let frame = 0; frame < frameCount(clip); frame++) {
      source.pose(frame);
      const { along } = source.footFrom(theirs);
      const at = placesIn(broad, sampleClip(clip, frame / clip.rate))(foot);
      if (before && Math.hypot(along[0] - before.along[0], along[2] - before.along[2]) < 1e-3) {
        standing++;
        slid += Math.hypot(at[0] - before.at[0], at[2] - before.at[2]);
      }
      before = { at, along };
    }
    expect(standing).toBeGreaterThan(60);
    // All of it together, of legs nine long.
    expect(slid).toBeLessThan(0.05);
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
