import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, test } from '@jest/globals';
import type { Character } from '@judoka/core/document';
import { openGlb, readCharacter } from '@judoka/core/formats';
import { weightOf, type WeightRows } from '@judoka/core/weights';
import { makeFerryKeeper } from '@judoka/demo';
import { judoka } from './testing.ts';

const folder = mkdtempSync(join(tmpdir(), 'judoka-transfer-'));
const [small, large, out, table, selection] = [
  'small.glb',
  'large.glb',
  'out.glb',
  'joints.csv',
  'selection.json',
].map((name) => join(folder, name));
let painted: Character;

beforeAll(async () => {
  const bytes = await makeFerryKeeper({ size: 'small', faults: false });
  painted = await readCharacter(openGlb(bytes));
  writeFileSync(small, bytes);
  writeFileSync(large, await makeFerryKeeper({ size: 'large', faults: false }));
});
afterAll(() => rmSync(folder, { recursive: true, force: true }));

const written = (): Promise<Character> => readCharacter(openGlb(new Uint8Array(readFileSync(out))));

/** Half the summed difference of two rows. */
function distance(a: WeightRows, b: WeightRows, p: number): number {
  const joints = new Set(
    [a, b].flatMap((rows) => [...rows.joints.subarray(p * rows.stride, (p + 1) * rows.stride)]),
  );
  return (
    [...joints].reduce((sum, joint) => sum + Math.abs(weightOf(a, p, joint) - weightOf(b, p, joint)), 0) / 2
  );
}

test('the small ferry-keeper gets from the fine one what was painted on it', async () => {
  const { status, out: said } = judoka('transfer', large, small, out, '--max-influences', '8', '--json');
  expect(status).toBe(0);
  const { matched, alignedBy } = JSON.parse(said) as { matched: number; alignedBy: string };
  expect(matched).toBeGreaterThan(8000);
  expect(alignedBy).toBe('alike');
  const after = await written();
  let [sum, count] = [0, 0];
  after.rows.forEach((rows, part) => {
    for (let p = 0; p < rows.pointCount; p++, count++) sum += distance(rows, painted.rows[part], p);
  });
  expect(sum / count).toBeLessThan(0.01);
});

test('a table says where joints go, and a selection what changes', async () => {
  writeFileSync(table, 'source,target\nneck_3,neck_4\n"eye_L",\n');
  const body = painted.parts.find(({ name }) => name === 'body');
  const vertices = Array.from({ length: 400 }, (_, v) => v);
  writeFileSync(selection, JSON.stringify({ body: vertices }));
  expect(judoka('transfer', large, small, out, '--joints', table, '--selection', selection).status).toBe(0);
  const after = await written();
  const points = new Set(vertices.map((v) => body?.vertexPoint[v]));
  const part = painted.parts.findIndex(({ name }) => name === 'body');
  for (let p = 0; p < after.rows[part].pointCount; p++)
    if (!points.has(p)) expect(distance(after.rows[part], painted.rows[part], p)).toBeLessThan(1e-6);
});

test.each([
  [['--joints', 'nowhere.csv'], /nowhere|no such file/i],
  [['--distance', 'far'], /--distance: “far” is not a number/],
  [['--parts', 'hat'], /no part “hat”/],
  [['--selection', table], /--selection: the file is not JSON/],
])('%j is refused in a sentence', (args, why) => {
  const { status, err } = judoka('transfer', large, small, out, ...args);
  expect(status).toBe(2);
  expect(err).toMatch(why);
  expect(err.trim().split('\n')).toHaveLength(1);
});

test('a joint that a table names and nobody has is refused with its line', () => {
  writeFileSync(table, 'source,target\nneck_3,neck_99\n');
  expect(judoka('transfer', large, small, out, '--joints', table).err).toMatch(
    /line 2: there is no joint “neck_99”/,
  );
});
