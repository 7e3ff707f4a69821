import { describe, expect, test } from '@jest/globals';
import { haulingMotion, shelfMotion } from '../animation/shelf.ts';
import { BvhPoser } from '../animation/bvhPoser.ts';
import { readBvh, writeBvh } from './bvh.ts';
import { skeletonOfBvh } from '../animation/bvhMotion.ts';

const SMALL = `HIERARCHY
ROOT Left Hip
{
  OFFSET 0 1 0
  CHANNELS 6 Xposition Yposition Zposition Zrotation Xrotation Yrotation
  JOINT Knee
  {
    OFFSET 0 -2 0
    CHANNELS 3 Yrotation Xrotation Zrotation
    End Site
    {
      OFFSET 0 -1 0
    }
  }
}
MOTION
Frames: 2
Frame Time: 0.04
0 1 0 0 0 0 0 0 0
1 2 3 90 0 0 0 90 0
`;
const refusal = (text: string): string => {
  try {
    readBvh(text);
  } catch (error) {
    return (error as Error).message;
  }
  return '';
};

describe('a .bvh file', () => {
  test('joints, channels in their own order, frames', () => {
    const bvh = readBvh(SMALL);
    expect(bvh.joints.map(({ name, parent, end }) => [name, parent, end])).toEqual([
      ['Left Hip', -1, undefined],
      ['Knee', 0, [0, -1, 0]],
    ]);
    expect(bvh).toMatchObject({ frames: 2, frameSeconds: 0.04 });
    expect([...bvh.values.subarray(9)]).toEqual([1, 2, 3, 90, 0, 0, 0, 90, 0]);
    expect(skeletonOfBvh(bvh).joints[0].side).toBe('left');
  });

  test('turns go in the order of their channels', () => {
    const poser = new BvhPoser(readBvh(SMALL));
    poser.pose(1);
    // A quarter about z takes the knee's offset from below to the right; a quarter about its own x follows.
    const half = Math.SQRT1_2;
    expect(poser.turnOf(0)).toEqual([0, 0, half, half].map((x) => expect.closeTo(x, 6)));
    const [x, y, z, w] = poser.turnOf(1);
    expect([x, y, z, w]).toEqual([0.5, 0.5, 0.5, 0.5].map((n) => expect.closeTo(n, 6)));
  });

  test('written and read again it is the same, also over 10,000 frames', () => {
    const motion = haulingMotion();
    const again = readBvh(writeBvh(motion));
    // Joints stand in another order, but everything is where it was.
    const [one, other] = [motion, again].map((bvh) => new BvhPoser(bvh));
    expect(again.joints.map(({ name }) => name).sort()).toEqual(motion.joints.map(({ name }) => name).sort());
    for (const frame of [0, 17, motion.frames - 1]) {
      one.pose(frame);
      other.pose(frame);
      motion.joints.forEach(({ name }, joint) => {
        const same = again.joints.findIndex((each) => each.name === name);
        one.turnOf(joint).forEach((x, k) => expect(other.turnOf(same)[k]).toBeCloseTo(x, 4));
      });
    }
    const line = '0 1 0 0 0 0 0 0 0\n';
    const long = readBvh(
      SMALL.replace(/Frames: 2[\s\S]*/, `Frames: 10000\nFrame Time: 0.01\n${line.repeat(10000)}`),
    );
    expect(long.frames).toBe(10000);
  });

  test('what is wrong is refused in a sentence that says where', () => {
    expect(refusal('hello')).toContain('does not begin with HIERARCHY');
    expect(refusal(SMALL.slice(0, 120))).toContain('cut off');
    expect(refusal(SMALL.slice(0, -10))).toBe('The file is cut off in frame 2 of 2.');
    expect(refusal(SMALL.replace('Frames: 2', 'Frames: 0'))).toContain('no frames');
    expect(refusal(SMALL.replace('0.04', '-1'))).toContain('frame time');
    expect(refusal(SMALL.replace('90 0 0 0 90', '90 zero 0 0 90'))).toBe('In frame 2, “zero” is no number.');
    expect(
      refusal(SMALL.replace('Yrotation Xrotation Zrotation', 'Yrotation Xrotation Wrotation')),
    ).toContain('“Wrotation” is no channel, at joint “Knee”');
    expect(refusal(SMALL.replace('CHANNELS 3 Y', 'CHANNELS 3 X'))).toContain('named twice');
    expect(refusal(SMALL.replace('JOINT', 'JOIN'))).toContain('“JOIN” is not known');
  });

  test('the shelf’s walk keeps the standing foot where it is', () => {
    const walk = shelfMotion('Walk');
    const poser = new BvhPoser(walk);
    const foot = walk.joints.findIndex(({ name }) => name === 'LeftFoot');
    let still = 0;
    let before: number[] | undefined;
    for (let frame = 0; frame < walk.frames; frame++) {
      poser.pose(frame);
      const { along, height } = poser.footFrom(foot);
      if (before && height < 2 && Math.hypot(along[0] - before[0], along[2] - before[2]) < 0.3) still++;
      before = along;
    }
    expect(still / walk.frames).toBeGreaterThan(0.3);
  });
});
