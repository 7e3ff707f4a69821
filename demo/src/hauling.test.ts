import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect, test } from '@jest/globals';
import { checkInput } from '@judoka/core/analysis/checkUp';
import { mapMotion, retargetMotion } from '@judoka/core/animation';
import { openGlb, readBvh, readCharacter } from '@judoka/core/formats';
import { makeFerryKeeper } from './ferryKeeper/ferryKeeper.ts';
import { makeHauling } from './hauling.ts';

const FILE = join(import.meta.dirname, '../hauling.bvh');

test('the file is what the maker makes, and goes onto the ferry-keeper', async () => {
  const text = readFileSync(FILE, 'utf8');
  expect(text).toBe(makeHauling());
  const bvh = readBvh(text);
  const character = await readCharacter(openGlb(await makeFerryKeeper({ size: 'small', faults: false })));
  const subject = { skeleton: character.skeleton, pairs: checkInput(character, {}).pairs };
  const clip = retargetMotion(subject, bvh, mapMotion(subject, bvh), 'hauling');
  const moved = new Set(clip.tracks.map(({ joint }) => character.skeleton.joints[joint].name));
  for (const name of ['pelvis', 'shoulder_L', 'elbow_R', 'knee_L', 'ankle_R', 'head', 'neck_3'])
    expect(moved).toContain(name);
});
