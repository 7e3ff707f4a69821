import { describe, expect, test } from '@jest/globals';
import { apply, OTHERS, weightOf } from '@judoka/core/weights';
import {
  bendingJoints,
  BendMeter,
  rankBends,
  rulerOf,
  runClip,
  runRange,
  worstFigures,
  worstPose,
  type BendOrder,
  type BendPlace,
  type JointTrial,
} from '@judoka/core/analysis/bends';
import { checkInput } from '@judoka/core/analysis/checkUp';
import { frameCount, frameSeconds, rangePoses, sampleClip } from '@judoka/core/animation';
import { skinPart } from '@judoka/core/document';
import { openGlb, readCharacter } from '@judoka/core/formats';
import { rangesOf, rankStrays } from '@judoka/core/analysis/strays';
import { findNeighbours, listEdges } from '@judoka/core/mesh';
import { removeStrays } from '@judoka/core/operations/repair';
import { makeFerryKeeper } from './ferryKeeper.ts';

describe('the ferry-keeper', () => {
  test('its planted faults rank first: heel and smear by how far, knee, hips and neck by how much', async () => {
    const character = await readCharacter(openGlb(await makeFerryKeeper({ size: 'small', faults: true })));
    const meter = await BendMeter.create(character);
    const trials = runRange(meter, rangesOf(character, {}, checkInput(character, {}).pairs));
    const first = (order: BendOrder, count: number): string[] =>
      rankBends(trials, order)
        .slice(0, count)
        .map(({ joint }) => character.skeleton.joints[joint].name)
        .sort();
    expect(first('stretch', 6)).toEqual(['ankle_R', 'hip_L', 'hip_R', 'knee_L', 'knee_R', 'neck_1']);
    expect(first('damage', 5)).toEqual(['hip_L', 'hip_R', 'knee_L', 'neck_1', 'shoulder_L']);
    const knee = trials.find(({ joint }) => character.skeleton.joints[joint].name === 'knee_L');
    expect(knee && worstFigures(knee, 'damage').volume).toBeLessThan(-0.3);
    // The heel that follows the knee is told by where it is, not by what it follows.
    const ankle = trials.find(({ joint }) => character.skeleton.joints[joint].name === 'ankle_R');
    const { stretched } = worstFigures(ankle as JointTrial, 'stretch');
    const { joint } = ankle as JointTrial;
    const ruler = rulerOf(character.skeleton, character.rows, joint, stretched as BendPlace);
    expect(character.skeleton.joints[ruler].name).toBe('knee_R');
  });

  test('the worst of the list is the worst of all edges, looked at one by one', async () => {
    const character = await readCharacter(openGlb(await makeFerryKeeper({ size: 'small', faults: true })));
    const { parts, rows, skeleton } = character;
    const ranges = rangesOf(character, {}, checkInput(character, {}).pairs);
    const [worst] = rankBends(runRange(await BendMeter.create(character), ranges), 'stretch');
    const edges = parts.map(({ polygonOffsets, polygonPoints, pointCount }) =>
      listEdges(findNeighbours({ offsets: polygonOffsets, points: polygonPoints }, pointCount)),
    );
    const rest = parts.map((_, part) => skinPart(character, part, {}, true).positions);
    const length = (positions: Float32Array, a: number, b: number): number =>
      Math.hypot(...[0, 1, 2].map((k) => positions[a * 3 + k] - positions[b * 3 + k]));
    let most = { stretch: 0, joint: -1 };
    for (const range of ranges) {
      for (const { pose } of rangePoses(range)) {
        parts.forEach((_, part) => {
          const { positions } = skinPart(character, part, pose, false);
          const { values, stride } = rows[part];
          for (let e = 0; e < edges[part].length; e += 2) {
            const [a, b] = edges[part].subarray(e, e + 2);
            if (values[a * stride] === 0 || values[b * stride] === 0) continue;
            const stretch = length(positions, a, b) / length(rest[part], a, b) - 1;
            if (stretch > most.stretch) most = { stretch, joint: range.joint };
          }
        });
      }
    }
    expect(skeleton.joints[worst.joint].name).toBe(skeleton.joints[most.joint].name);
    expect(worstFigures(worst, 'stretch').stretch).toBeCloseTo(most.stretch, 1);
  }, 60_000);

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
    for (const trial of trials) {
      const { joint, poses: found } = trial;
      const damages = poses.map(({ pose }) => meter.measure(joint, pose)?.damage ?? 0);
      const { at, figures } = found[worstPose(trial, 'damage')];
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
      // The heel, which follows the knee, the other leg's patch, and half of the upper beak.
      ['apart', 'knee_R'],
      ['across', 'knee_R'],
      ['apart', 'beak_lower'],
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
