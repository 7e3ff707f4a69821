import { existsSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { openGlb, readCharacter } from '@judoka/core/formats';
import { influenceCount, rowSum, weightOf } from '@judoka/core/weights';
import { makeFerryKeeper, makePorter } from '@judoka/demo';
import { judoka } from './testing.ts';

const folder = mkdtempSync(join(tmpdir(), 'judoka-cure-'));
const keeper = join(folder, 'keeper.glb');
const out = join(folder, 'out.glb');

beforeAll(async () => {
  writeFileSync(keeper, await makeFerryKeeper({ size: 'small', faults: true }));
});
afterAll(() => rmSync(folder, { recursive: true, force: true }));

interface Cured {
  readonly points: number;
  readonly joints: { readonly joint: string; readonly before: number; readonly after: number }[];
}

test('planted bends are cured by more than half, within the limit, and no other gets worse', async () => {
  const done = judoka('cure', keeper, out, '--joints', 'knee_L,hip_L', '--lock', 'satchel', '--json');
  expect(done.err).toBe('');
  expect(done.status).toBe(0);
  const { points, joints } = JSON.parse(done.out) as Cured;
  expect(points).toBeGreaterThan(100);
  expect(joints.slice(0, 2).map(({ joint }) => joint)).toEqual(['knee_L', 'hip_L']);
  for (const { before, after } of joints.slice(0, 2)) expect(after).toBeLessThan(0.4 * before);
  const most = Math.max(...joints.map(({ before }) => before));
  for (const { before, after } of joints) expect(after).toBeLessThanOrEqual(1.02 * before + 0.001 * most);
  const [was, now] = await Promise.all(
    [keeper, out].map((file) => readCharacter(openGlb(new Uint8Array(readFileSync(file))))),
  );
  const satchel = was.skeleton.joints.findIndex(({ name }) => name === 'satchel');
  let changed = 0;
  now.rows.forEach((rows, part) => {
    for (let p = 0; p < rows.pointCount; p++) {
      if (was.rows[part].values[p * was.rows[part].stride] > 0)
        expect(weightOf(rows, p, satchel)).toBe(weightOf(was.rows[part], p, satchel));
      const isSame = rows.values
        .subarray(p * rows.stride, (p + 1) * rows.stride)
        .every((w, k) => w === was.rows[part].values[p * was.rows[part].stride + k]);
      if (isSame) continue;
      changed++;
      expect(Math.abs(rowSum(rows, p) - 1)).toBeLessThan(1e-6);
      expect(influenceCount(rows, p)).toBeLessThanOrEqual(4);
    }
  });
  expect(changed).toBeGreaterThan(100);
});

interface Baked extends Pick<Cured, 'joints'> {
  readonly parts: {
    readonly part: string;
    readonly points: number;
    readonly before: { readonly rms: number; readonly rmsShare: number };
    readonly after: { readonly rms: number };
    readonly unlimited: number;
  }[];
}

test.each([
  ['relaxed', ['--passes', '8']],
  ['dual', []],
])('the %s look is baked into plain weights, nearer than before and about as near as any', (look, more) => {
  const done = judoka('bake', keeper, out, '--look', look, ...more, '--parts', 'body', '--json');
  expect(done.err).toBe('');
  expect(done.status).toBe(0);
  const { parts } = JSON.parse(done.out) as Baked;
  expect(parts.map(({ part }) => part)).toEqual(['body']);
  for (const { points, before, after, unlimited } of parts) {
    expect(points).toBeGreaterThan(100);
    expect(after.rms).toBeLessThan(before.rms);
    expect(after.rms).toBeLessThanOrEqual(1.05 * unlimited);
  }
});

test.each([
  [['--look', 'glass'], /relaxed, dual or following/],
  [['--look', 'following', '--parts', 'cape'], /--driver/],
  [['--look', 'following', '--parts', 'cape', '--driver', 'cape'], /cannot follow itself/],
  [['--driver', 'body'], /--look following/],
  [['--passes', '0'], /--passes is a whole number from 1/],
  [['--strength', '2'], /--strength/],
  [['--parts', 'nobody'], /nobody/],
  [['--clips', 'flying'], /no clip “flying”.*none/],
])('bake refuses %j', (args, words) => {
  const done = judoka('bake', keeper, join(folder, 'none.glb'), ...args);
  expect(done.status).toBe(2);
  expect(done.err).toMatch(words);
});

test('a cape that follows the body is baked into plain weights', () => {
  const done = judoka(
    'bake',
    keeper,
    out,
    '--look',
    'following',
    '--driver',
    'body',
    '--parts',
    'cape',
    '--json',
  );
  expect(done.err).toBe('');
  const { parts } = JSON.parse(done.out) as Baked;
  expect(parts.map(({ part }) => part)).toEqual(['cape']);
  expect(parts[0].after.rms).toBeLessThan(0.25 * parts[0].before.rms);
  expect(parts[0].after.rms).toBeLessThanOrEqual(1.05 * parts[0].unlimited);
});

test('relaxed, over the range alone: errors in shares of the size too, and what became of every bend', () => {
  const done = judoka('relax', keeper, out, '--clips', 'none', '--parts', 'body', '--json');
  expect(done.err).toBe('');
  const { parts, joints } = JSON.parse(done.out) as Baked;
  // The keeper is about a metre and a half long.
  expect(parts[0].before.rms / parts[0].before.rmsShare).toBeGreaterThan(1);
  expect(parts[0].before.rms / parts[0].before.rmsShare).toBeLessThan(3);
  const knee = joints.find(({ joint }) => joint === 'knee_L');
  expect(knee?.after).toBeLessThan(knee?.before ?? 0);
});

test('the shapes of another file are baked: smoothed weights come back to what makes them', () => {
  const smooth = join(folder, 'smooth.glb');
  expect(judoka('smooth', keeper, smooth, '--passes', '8').status).toBe(0);
  const done = judoka('bake', smooth, out, '--shapes', keeper, '--parts', 'body', '--json');
  expect(done.err).toBe('');
  const [{ before, after }] = (JSON.parse(done.out) as Baked).parts;
  expect(after.rms).toBeLessThan(0.3 * before.rms);
});

test('shapes of another character are refused, and nothing is written', async () => {
  const porter = join(folder, 'porter.glb');
  writeFileSync(porter, await makePorter({ faults: false }));
  const none = join(folder, 'none.glb');
  const done = judoka('bake', keeper, none, '--shapes', porter);
  expect(done.status).toBe(2);
  expect(done.err).toMatch(/no shapes of this character/);
  expect(existsSync(none)).toBe(false);
});

test('a joint that bends nothing is told, and nothing is written', () => {
  const done = judoka('cure', keeper, join(folder, 'none.glb'), '--joints', 'root');
  expect(done.status).toBe(2);
  expect(done.err).toMatch(/bends/);
});
