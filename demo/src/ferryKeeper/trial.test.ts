import { describe, expect, test } from '@jest/globals';
import { apply, OTHERS, weightOf } from '@judoka/core/weights';
import { bendingJoints, BendMeter, runClip, runRange } from '@judoka/core/analysis/bends';
import { checkInput } from '@judoka/core/analysis/checkUp';
import { frameCount, frameSeconds, sampleClip } from '@judoka/core/animation';
import { openGlb, readCharacter } from '@judoka/core/formats';
import { rangesOf, rankStrays, strayPoints } from '@judoka/core/analysis/strays';
import { removeStrays } from '@judoka/core/operations/repair';
import { makeFerryKeeper } from './ferryKeeper.ts';

describe('the ferry-keeper', () => {
  test('its planted bends rank first: knee, neck and armpit', async () => {
    const character = await readCharacter(openGlb(await makeFerryKeeper({ size: 'small', faults: true })));
    const meter = await BendMeter.create({ ...character, leaveOut: strayPoints(character) });
    const trials = runRange(meter, rangesOf(character, {}, checkInput(character, {}).pairs));
    const names = trials.slice(0, 3).map(({ joint }) => character.skeleton.joints[joint].name);
    expect(names.sort()).toEqual(['knee_L', 'neck_1', 'shoulder_L']);
    const knee = trials.find(({ joint }) => character.skeleton.joints[joint].name === 'knee_L');
    expect(knee?.poses[knee.worst].figures.volume ?? 0).toBeLessThan(-0.3);
  });

  test('the worst frame of a clip is the worst of all frames, looked at one by one', async () => {
    const character = await readCharacter(openGlb(await makeFerryKeeper({ size: 'small', faults: false })));
    const [clip] = character.clips;
    const meter = await BendMeter.create(character);
    const joints = bendingJoints(meter).filter((_, i) => i % 9 === 0);
    const poses = Array.from({ length: frameCount(clip) }, (_, frame) => {
      const seconds = frameSeconds(clip, frame);
      return { frame, seconds, pose: sampleClip(clip, seconds) };
    });
    let told = 0;
    const trials = runClip(meter, joints, poses, () => told++);
    expect(told).toBe(poses.length);
    for (const { joint, poses: found, worst } of trials) {
      const damages = poses.map(({ pose }) => meter.measure(joint, pose)?.damage ?? 0);
      const { at, figures } = found[worst];
      expect(figures.damage).toBeCloseTo(Math.max(...damages), 6);
      // A motion that swings evenly may have equals.
      expect(damages['frame' in at ? at.frame : -1]).toBeCloseTo(Math.max(...damages), 6);
    }
  }, 60_000);

  test('its strays are found by what they move, nothing else is; removing them leaves none', async () => {
    const read = async (faults: boolean) =>
      readCharacter(openGlb(await makeFerryKeeper({ size: 'small', faults })));
    expect(rankStrays(await read(false))).toEqual([]);
    const character = await read(true);
    const strays = rankStrays(character);
    const { joints } = character.skeleton;
    expect(strays.map(({ kind, joint }) => [kind, joints[joint].name])).toEqual([
      // The heel, which follows the knee, and the other leg's patch.
      ['apart', 'knee_R'],
      ['across', 'knee_R'],
      ['root', 'root'],
      ['apart', 'neck_3'],
    ]);
    const movements = strays.map(({ movement }) => movement);
    expect(movements).toEqual([...movements].sort((a, b) => b - a));
    expect(movements[0]).toBeGreaterThan(0.05);
    const rows = character.rows.map((own) => ({
      ...own,
      joints: own.joints.slice(),
      values: own.values.slice(),
    }));
    const locks = new Uint8Array(joints.length);
    const { change } = removeStrays(character.parts, rows, strays, { receiver: OTHERS, locks, limit: 8 });
    apply(rows, change);
    expect(rankStrays(character, { rows })).toEqual([]);
    const [{ part, joint, points }] = strays;
    for (const p of points) expect(weightOf(rows[part], p, joint)).toBe(0);
  });
});
