import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { influenceCount, rowSum, weightOf } from '@judoka/core/weights';
import { openGlb, readCharacter } from '@judoka/core/formats';
import type { Character } from '@judoka/core/document';
import { makeFerryKeeper } from '@judoka/demo';
import { judoka } from './testing.ts';

const folder = mkdtempSync(join(tmpdir(), 'judoka-weights-'));
const keeper = join(folder, 'keeper.glb');
const out = join(folder, 'out.glb');
let before: Character;

beforeAll(async () => {
  const bytes = await makeFerryKeeper({ size: 'small', faults: true });
  writeFileSync(keeper, bytes);
  before = await readCharacter(openGlb(bytes));
});
afterAll(() => rmSync(folder, { recursive: true, force: true }));

const written = (): Promise<Character> => readCharacter(openGlb(new Uint8Array(readFileSync(out))));
const joint = (name: string): number => before.skeleton.joints.findIndex((one) => one.name === name);

function expectSums({ rows }: Character): void {
  for (const own of rows)
    for (let p = 0; p < own.pointCount; p++)
      if (own.values[p * own.stride] > 0) expect(Math.abs(rowSum(own, p) - 1)).toBeLessThan(1e-4);
}

describe('weights from one file to another', () => {
  test('normalize keeps to the largest number of influences', async () => {
    const { status, out: said } = judoka('normalize', keeper, out, '--max-influences', '4', '--json');
    expect(status).toBe(0);
    expect((JSON.parse(said) as { points: number }).points).toBeGreaterThan(20);
    const after = await written();
    expectSums(after);
    for (const own of after.rows)
      for (let p = 0; p < own.pointCount; p++) expect(influenceCount(own, p)).toBeLessThanOrEqual(4);
  });

  test('prune drops what is small, and locked joints keep theirs', async () => {
    expect(judoka('prune', keeper, out, '--below', '0.1', '--lock', 'neck_3').status).toBe(0);
    const after = await written();
    expectSums(after);
    const locked = joint('neck_3');
    let dropped = 0;
    before.rows.forEach((own, part) => {
      for (let p = 0; p < own.pointCount; p++) {
        expect(weightOf(after.rows[part], p, locked)).toBeCloseTo(weightOf(own, p, locked), 5);
        dropped += influenceCount(own, p) - influenceCount(after.rows[part], p);
      }
    });
    expect(dropped).toBeGreaterThan(200);
  });

  test('mirror cures the wrong leg from the sound side, and tells what has no counterpart', async () => {
    const { status, out: said } = judoka(
      'mirror',
      keeper,
      out,
      '--from',
      'right',
      '--joints',
      'knee_R,hip_R',
      '--json',
    );
    expect(status).toBe(0);
    expect(JSON.parse(said)).toMatchObject({
      unpaired: expect.any(Number),
      jointsWithoutPartner: expect.any(Number),
    });
    const after = await written();
    expectSums(after);
    const wrong = (character: Character): number => {
      const own = character.rows[0];
      const { positions } = character.parts[0];
      let sum = 0;
      for (let p = 0; p < own.pointCount; p++)
        if (positions[p * 3] > 0.02) sum += weightOf(own, p, joint('knee_R'));
      return sum;
    };
    expect(wrong(before)).toBeGreaterThan(3);
    expect(wrong(after)).toBeLessThan(0.5);
  });

  test('smooth brings neighbours nearer to one another, of the named joints alone', async () => {
    expect(judoka('smooth', keeper, out, '--passes', '3', '--joints', 'elbow_L').status).toBe(0);
    const after = await written();
    expectSums(after);
    const spread = (character: Character): number => {
      const own = character.rows[0];
      let sum = 0;
      for (let p = 0; p < own.pointCount; p++) sum += weightOf(own, p, joint('elbow_L')) ** 2;
      return sum;
    };
    expect(spread(after)).toBeLessThan(spread(before));
    const head = joint('head');
    for (let p = 0; p < before.rows[0].pointCount; p += 7)
      if (
        weightOf(before.rows[0], p, joint('elbow_L')) === 0 &&
        weightOf(after.rows[0], p, joint('elbow_L')) === 0
      )
        expect(weightOf(after.rows[0], p, head)).toBeCloseTo(weightOf(before.rows[0], p, head), 5);
  });

  test.each([
    ['mirror', ['--from', 'up'], /left or right/],
    ['mirror', ['--from', 'left', '--by', 'luck'], /place or topology/],
    ['prune', ['--below', '2'], /--below is a number from 0 to 0.99/],
    ['smooth', ['--passes', 'x'], /--passes is a whole number/],
    ['normalize', ['--lock', 'nobody'], /there is no joint “nobody”/],
  ])('%s %j is refused in a sentence', (command, options, words) => {
    const { status, err } = judoka(command, keeper, out, ...options);
    expect(status).toBe(2);
    expect(err).toMatch(words);
  });
});

describe('bind', () => {
  test('only the parts and joints that are named', async () => {
    const { status } = judoka(
      ...['bind', keeper, out, '--method', 'nearest'],
      ...['--parts', 'satchel,scarf', '--joints', 'chest, spine_1'],
    );
    expect(status).toBe(0);
    const after = await written();
    const allowed = [joint('chest'), joint('spine_1')];
    after.parts.forEach(({ name }, part) => {
      const { joints, values } = after.rows[part];
      if (name === 'satchel' || name === 'scarf') {
        const used = [...new Set(joints.filter((_, k) => values[k] > 0))];
        expect([name, used.every((each) => allowed.includes(each))]).toEqual([name, true]);
      } else if (name === 'lantern') expect(values).toEqual(before.rows[part].values);
    });
  });

  test('--only-deforming leaves out what has no weight in a painted file', async () => {
    const others = before.skeleton.joints.map(({ name }) => name).filter((name) => name !== 'lantern');
    const painted = join(folder, 'painted.glb');
    const bind = ['--method', 'nearest'];
    expect(judoka('bind', keeper, painted, ...bind, '--joints', others.join(',')).status).toBe(0);
    const massOfLantern = async (...more: string[]): Promise<number> => {
      expect(judoka('bind', painted, out, ...bind, ...more).status).toBe(0);
      const { rows } = await written();
      return rows.reduce(
        (sum, { joints, values }) =>
          sum + values.reduce((own, value, k) => own + (joints[k] === joint('lantern') ? value : 0), 0),
        0,
      );
    };
    expect(await massOfLantern()).toBeGreaterThan(0);
    expect(await massOfLantern('--only-deforming')).toBe(0);
  });

  test.each([
    [['--joints', 'chest,nobody'], /no joint “nobody”/],
    [['--parts', 'nothing'], /no part “nothing”/],
  ])('%j is refused', (more, words) => {
    const { status, err } = judoka('bind', keeper, out, '--method', 'nearest', ...more);
    expect([status, words.test(err)]).toEqual([2, true]);
  });
});

test('convert changes no weight, whatever is wrong with them', () => {
  expect(judoka('convert', keeper, out).status).toBe(0);
  const [from, to] = [
    openGlb(new Uint8Array(readFileSync(keeper))),
    openGlb(new Uint8Array(readFileSync(out))),
  ];
  expect(to.json).toEqual(from.json);
  expect(to.buffers).toEqual(from.buffers);
});
