import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { checkInput } from '@judoka/core/analysis/checkUp';
import { frameCount, putMotion, sampleClip } from '@judoka/core/animation';
import type { Character } from '@judoka/core/document';
import { openGlb, readBvh, readCharacter } from '@judoka/core/formats';
import { poseWorld } from '@judoka/core/skeleton';
import { weightedJoints } from '@judoka/core/weights';
import { makeFerryKeeper, makeHauling } from '@judoka/demo';
import { makeActor } from '@judoka/demo/testBodies';
import { validateBytes } from 'gltf-validator';
import { judoka } from './testing.ts';

const folder = mkdtempSync(join(tmpdir(), 'judoka-motion-'));
const file = (name: string): string => join(folder, name);
const read = async (name: string): Promise<Character> =>
  readCharacter(openGlb(new Uint8Array(readFileSync(file(name)))));

beforeAll(async () => {
  writeFileSync(file('actor.glb'), await makeActor({ hasSiblingPelvis: true }));
  writeFileSync(file('keeper.glb'), await makeFerryKeeper({ size: 'small', faults: false }));
  writeFileSync(file('hauling.bvh'), makeHauling());
});
afterAll(() => rmSync(folder, { recursive: true, force: true }));

const run = (...options: string[]) =>
  judoka('motion', file('actor.glb'), file('hauling.bvh'), file('out.glb'), ...options);
const worldAt = ({ skeleton }: Character, clip: Character['clips'][number], seconds: number): number[] => {
  const world = new Float32Array(skeleton.joints.length * 16);
  poseWorld(skeleton, sampleClip(clip, seconds), world);
  return [...world];
};

test('the motion is a clip of the file, moves it as on the stage, and the file is valid', async () => {
  const { out, status } = run();
  expect(status).toBe(0);
  expect(out).toMatch(/^“hauling”: \d+ of 55 joints follow, 97 frames\.\n$/);
  const [before, after] = [await read('actor.glb'), await read('out.glb')];
  expect(after.clips.map(({ name }) => name)).toEqual(['hauling']);
  const subject = {
    skeleton: before.skeleton,
    pairs: checkInput(before, {}).pairs,
    weighted: weightedJoints(before.rows, before.skeleton.joints.length),
  };
  const { clip } = putMotion(subject, readBvh(makeHauling()), 'hauling');
  if (!clip) throw new Error('Nothing of the motion was known.');
  expect(frameCount(after.clips[0])).toBe(frameCount(clip));
  for (const seconds of [0, clip.seconds / 3, clip.seconds]) {
    const wanted = worldAt(before, clip, seconds);
    expect(worldAt(after, after.clips[0], seconds)).toEqual(wanted.map((n) => expect.closeTo(n, 4)));
  }
  const { issues } = (await validateBytes(new Uint8Array(readFileSync(file('out.glb'))))) as {
    issues: { numErrors: number };
  };
  expect(issues.numErrors).toBe(0);
});

test('a clip whose name is taken gets a number; those of the file stay', async () => {
  const once = judoka('motion', file('keeper.glb'), file('hauling.bvh'), file('once.glb'));
  const twice = judoka('motion', file('once.glb'), file('hauling.bvh'), file('twice.glb'));
  expect([once.status, twice.status]).toEqual([0, 0]);
  expect((await read('twice.glb')).clips.map(({ name }) => name)).toEqual([
    'walking',
    'poling',
    'bowing',
    'hauling',
    'hauling 2',
  ]);
});

test('a table says who follows whom, and --json prints it', () => {
  const joint = readBvh(makeHauling()).joints[2].name;
  writeFileSync(file('table.csv'), `joint,follows\nhead,"${joint}"\nneck,\n`);
  const { out } = run('--json', '--map', file('table.csv'));
  const { follows, frames } = JSON.parse(out) as { follows: Record<string, string | null>; frames: number };
  expect([follows.head, follows.neck, frames]).toEqual([joint, null, 97]);
});

test('in place it does not get on', async () => {
  run('--in-place');
  const after = await read('out.glb');
  const hips = after.skeleton.joints.findIndex(({ name }) => name === 'hips');
  const [clip] = after.clips;
  const [first, last] = [0, clip.seconds].map((seconds) => worldAt(after, clip, seconds));
  const way = [12, 14].map((k) => last[hips * 16 + k] - first[hips * 16 + k]);
  expect(Math.hypot(...way)).toBeLessThan(0.1);
});

test('bad input is one sentence', () => {
  writeFileSync(file('joint.csv'), 'head,Head\nthird_arm,Head\n');
  writeFileSync(file('theirs.csv'), 'head,Propeller\n');
  for (const [args, said] of [
    [['--map', file('joint.csv')], /Line \d of “joint\.csv” names “.*”, which is no joint of this/],
    [
      ['--map', file('theirs.csv')],
      'Line 1 of “theirs.csv” names “Propeller”, which is no joint of this motion.',
    ],
    [['--map', file('none.csv')], /There is no file/],
  ] as const) {
    const { status, err } = run(...args);
    expect(status).not.toBe(0);
    expect(err.trim().split('\n')).toHaveLength(1);
    expect(err).toMatch(said);
  }
  const { err } = judoka('motion', file('actor.glb'), file('actor.glb'), file('out.glb'));
  expect(err).toMatch(/no \.bvh file/);
});
