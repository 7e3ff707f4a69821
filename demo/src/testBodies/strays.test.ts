import { beforeAll, describe, expect, test } from '@jest/globals';
import { checkInput } from '@judoka/core/analysis/checkUp';
import { findStrays } from '@judoka/core/analysis/strays';
import type { Character } from '@judoka/core/document';
import { openGlb, readCharacter } from '@judoka/core/formats';
import { removeStrays } from '@judoka/core/operations/repair';
import { apply, weightOf } from '@judoka/core/weights';
import { makeActor } from './actor.ts';
import { copyOf, give, patchAround } from './planting.ts';

/** Where a joint's weight is planted, and around what joint's place: face, limb, kin and the other side. */
const PLANTED: readonly (readonly [joint: string, onto: string])[] = [
  ['brow_in_L', 'chin'],
  ['lip_low_side_R', 'brow_mid_R'],
  ['lid_up_L', 'nostril_R'],
  ['cheek_R', 'brow_out_L'],
  ['chin', 'nose'],
  ['thigh_L', 'foot_L'],
  ['shin_R', 'thigh_R'],
  ['forearm_L', 'collar_L'],
  ['collar_R', 'hand_R'],
  ['thumb_2_L', 'forearm_L'],
  ['shin_L', 'shin_R'],
  ['hand_R', 'hand_L'],
  ['head', 'spine'],
];
const AMOUNTS = [0.08, 0.5, 1];
const SIZE = 18;

describe('strays of a body with a face of many joints', () => {
  let whole: Character;
  let inParts: Character;
  beforeAll(async () => {
    whole = await readCharacter(openGlb(await makeActor()));
    inParts = await readCharacter(openGlb(await makeActor({ isSplit: true })));
  });

  test('well painted it has none, in one part or in several', () => {
    expect(findStrays(checkInput(whole, {}))).toEqual([]);
    expect(findStrays(checkInput(inParts, {}))).toEqual([]);
  });

  test.each(PLANTED)('weight of %s on %s is found to the point, and goes without a trace', (joint, onto) => {
    const number = (name: string): number => whole.skeleton.joints.findIndex((each) => each.name === name);
    for (const amount of AMOUNTS) {
      const rows = copyOf(whole.rows[0]);
      const points = patchAround(whole, number(onto), number(joint), SIZE);
      for (const p of points) give(rows, p, number(joint), amount);
      const strays = findStrays(checkInput(whole, { rows: [rows] }));
      const found = new Set(strays.flatMap((stray) => [...stray.points]));
      expect([amount, ...points.filter((p) => found.has(p))]).toEqual([amount, ...points]);
      // What it cuts off from its own joint's region may be told of as well.
      const others = strays.filter((stray) => stray.joint !== number(joint));
      expect(others.reduce((sum, stray) => sum + stray.points.length, 0)).toBeLessThan(points.length / 10);
      // Whatever receives it, nothing is left to be found again, in the middle least of all.
      for (const receiver of [{ kind: 'others' }, { kind: 'neighbours' }] as const) {
        const cleaned = copyOf(rows);
        const locks = new Uint8Array(whole.skeleton.joints.length);
        apply([cleaned], removeStrays(whole.parts, [rows], strays, { receiver, locks, limit: 4 }).change);
        for (const p of points) expect(weightOf(cleaned, p, number(joint))).toBe(0);
        if (amount === 0.5) expect(findStrays(checkInput(whole, { rows: [cleaned] }))).toEqual([]);
      }
    }
  });
});
