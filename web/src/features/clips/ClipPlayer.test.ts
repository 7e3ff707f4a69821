import { beforeEach, describe, expect, test } from '@jest/globals';
import type { JointPose } from '@judoka/core/skeleton';
import type { Workspace } from '../../workspace/Workspace.ts';
import type { SimulatedServer } from '../../testing/SimulatedServer.ts';
import { ARM_L, ARM_R, doneLabels, openForEach, saved, turned, WAVE } from '../../testing/testWorkspace.ts';

let at: Workspace;
let server: SimulatedServer;
openForEach((opened) => ({ at, server } = opened), { workers: true });

/** A motion of two bones: the second turns by so many degrees about z. */
const bvh = (degrees: number): string => `HIERARCHY
ROOT body
{
  OFFSET 0 0 0
  CHANNELS 6 Xposition Yposition Zposition Zrotation Xrotation Yrotation
  JOINT upper
  {
    OFFSET 1 0 0
    CHANNELS 3 Zrotation Xrotation Yrotation
    End Site
    {
      OFFSET 1 0 0
    }
  }
}
MOTION
Frames: 2
Frame Time: 0.5
0 0 0 0 0 0 0 0 0
0 0 0 0 0 0 ${degrees} 0 0
`;

const poseOf = (joint: number): JointPose | undefined => at.scene.pose[joint];
const raised = (): number => (poseOf(ARM_L)?.rotation[2] ?? 0) * Math.SQRT2;

/** What the browser keeps, by the test's own hand. */
const kept = new Map<string, string>();
beforeEach(() => {
  kept.clear();
  Object.assign(globalThis, {
    localStorage: {
      getItem: (key: string) => kept.get(key) ?? null,
      setItem: (key: string, value: string) => void kept.set(key, value),
    },
  });
});

describe('clips of the file', () => {
  test('are listed before the shelf’s, and shown from their beginning', async () => {
    expect(at.clips.choices()[0]).toEqual({ key: 'file:0', kind: 'file', name: 'wave' });
    expect(at.clips.choices().filter(({ kind }) => kind === 'shelf').length).toBeGreaterThan(2);
    await at.clips.choose('file:0');
    expect(at.clips.current).toBe(WAVE);
    expect([at.clips.frame, at.clips.frames]).toEqual([0, 11]);
  });

  test('a frame that is gone to is the character’s own pose, in one edit while it goes on', async () => {
    await at.clips.choose('file:0');
    at.clips.goTo(5);
    at.clips.goTo(10);
    expect(at.scene.pose[ARM_L].rotation[2]).toBeCloseTo(Math.SQRT1_2, 5);
    at.document.settle();
    expect(doneLabels(at)).toEqual(['Pose from wave, frame 10']);
    at.clips.goTo(99);
    expect(at.clips.frame).toBe(10);
    at.clips.goTo(-3);
    expect(at.clips.frame).toBe(0);
  });

  test('put away, the pose stays and there is nothing to play', async () => {
    await at.clips.choose('file:0');
    at.clips.goTo(10);
    at.clips.drop();
    expect(at.clips.current).toBeUndefined();
    expect(at.scene.pose[ARM_L].rotation[2]).toBeCloseTo(Math.SQRT1_2, 5);
    at.clips.play();
    expect(at.clips.playing).toBe(false);
  });
});

describe('playing', () => {
  /** Frames of the screen, at times of the test's own. */
  const frames: ((now: number) => void)[] = [];
  const at0 = (): number => performance.now();
  const step = (milliseconds: number, from: number): void => frames.pop()?.(from + milliseconds);

  test('time goes on at its speed, over and over within the loop; a pause keeps the pose', async () => {
    Object.assign(globalThis, {
      requestAnimationFrame: (call: (now: number) => void) => frames.push(call),
    });
    await at.clips.choose('file:0');
    at.clips.setLoop([0.2, 0.6]);
    at.clips.seconds = 0.2;
    const from = at0();
    at.clips.play();
    step(100, from);
    expect(at.clips.seconds).toBeGreaterThan(0.27);
    expect(at.clips.seconds).toBeLessThan(0.31);
    at.clips.setSpeed(2);
    step(260, from);
    // 0.1 + 0.16 · 2 is more than the loop's 0.4: it begins again.
    expect(at.clips.seconds).toBeLessThan(0.3);
    expect(doneLabels(at)).toEqual([]);
    at.clips.pause();
    expect(at.clips.playing).toBe(false);
    at.document.settle();
    expect(doneLabels(at)).toHaveLength(1);
  });

  test('a long gap, as in a tab that nobody looks at, does not make it jump', async () => {
    await at.clips.choose('file:0');
    const from = at0();
    at.clips.play();
    step(60_000, from);
    expect(at.clips.seconds).toBeCloseTo(0.25, 2);
    at.clips.pause();
  });
});

describe('a motion that is dropped on the character', () => {
  test('is kept with the character, chosen, and mapped by hand where names say nothing', async () => {
    await at.clips.add('arm', bvh(90));
    await saved(at);
    expect(server.labels()).toEqual(['edit Bring in motion arm']);
    expect(server.attachments.size).toBe(1);
    expect(at.clips.choice).toMatchObject({ kind: 'motion', name: 'arm' });
    expect(at.clips.mapping?.names).toEqual(['body', 'upper']);
    expect(raised()).toBeCloseTo(0, 5);
    await at.clips.follow(ARM_L, 1);
    expect(doneLabels(at).at(-1)).toBe('Map arm_L in arm');
    at.clips.goTo(at.clips.frames - 1);
    expect(Math.abs(raised())).toBeGreaterThan(0.5);
    expect(poseOf(ARM_R)).toBeUndefined();
  });

  test('what was said of its joints holds for the next motion of the same joints', async () => {
    await at.clips.add('arm', bvh(90));
    await at.clips.follow(ARM_L, 1);
    await at.clips.add('other arm', bvh(45));
    expect(at.clips.mapping?.map[ARM_L]).toBe(1);
    // Joints of other names are another matter.
    await at.clips.add('third', bvh(45).replace('upper', 'lower'));
    expect(at.clips.mapping?.map[ARM_L]).toBe(-1);
  });

  test('put away, the pose from before it is back', async () => {
    at.scene.setPose(turned({ [ARM_R]: ['z', 30] }));
    const before = at.scene.pose;
    await at.clips.choose('file:0');
    at.clips.goTo(10);
    at.clips.putAway();
    expect(at.clips.current).toBeUndefined();
    expect(at.scene.pose).toEqual(before);
  });

  test('undoing a mapping takes it off the clip that is shown', async () => {
    await at.clips.add('arm', bvh(90));
    await at.clips.follow(ARM_L, 1);
    expect(at.clips.mapping?.map[ARM_L]).toBe(1);
    await at.document.undo();
    await new Promise((resolve) => setTimeout(resolve, 50));
    expect(at.clips.mapping?.map[ARM_L]).toBe(-1);
  });

  test('what cannot be read is refused with the reason, and nothing is kept', async () => {
    await expect(at.clips.add('bad', 'HIERARCHY\nROOT')).rejects.toThrow(/cut off|read/i);
    expect(doneLabels(at)).toEqual([]);
    expect(at.clips.choices().some(({ kind }) => kind === 'motion')).toBe(false);
  });

  test('removed, or undone, while it is shown: it is put away', async () => {
    await at.clips.add('arm', bvh(45));
    await at.document.undo();
    expect(at.clips.current).toBeUndefined();
    await at.document.redo();
    const key = at.clips.choices().find(({ kind }) => kind === 'motion')?.key ?? '';
    await at.clips.choose(key);
    at.clips.remove(key);
    expect(at.clips.choice).toBeUndefined();
    expect(doneLabels(at).at(-1)).toBe('Remove motion arm');
  });

  test('the one that was chosen last is shown, however long the first takes', async () => {
    await at.clips.add('arm', bvh(45));
    const key = at.clips.choice?.key ?? '';
    const slow = at.clips.choose(key);
    const fast = at.clips.choose('file:0');
    await Promise.all([slow, fast]);
    expect(at.clips.current).toBe(WAVE);
    expect(at.clips.choice?.key).toBe('file:0');
  });
});
