import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, test } from '@jest/globals';
import { openGlb, readCharacter } from '@judoka/core/formats';
import { influencesOf } from '@judoka/core/weights';
import { makeLamplighter, makeLamplighterDrawing } from '@judoka/demo';
import { judoka } from './testing.ts';

const folder = mkdtempSync(join(tmpdir(), 'judoka-drawing-'));
const drawing = join(folder, 'puppet.svg');
const jointed = join(folder, 'jointed.glb');
const out = join(folder, 'out.glb');

beforeAll(async () => {
  writeFileSync(drawing, makeLamplighterDrawing());
  writeFileSync(jointed, await makeLamplighter({ faults: true }));
});
afterAll(() => rmSync(folder, { recursive: true, force: true }));

test('a drawing is told of, and converted into a character that keeps its layers', async () => {
  const told = judoka('info', drawing);
  expect(told.status).toBe(1);
  expect(told.out).toContain('leg front');
  expect(judoka('convert', drawing, out).status).toBe(0);
  const character = await readCharacter(openGlb(new Uint8Array(readFileSync(out))));
  expect(character.drawing?.layers).toHaveLength(18);
});

test('without joints it cannot be bound, which is said in a sentence', () => {
  const { status, err } = judoka('bind', drawing, out, '--method', 'nearest');
  expect(status).not.toBe(0);
  expect(err).toMatch(/no skeleton/);
});

test('with joints it is checked, bound layer by layer, and tried in the page', async () => {
  expect(judoka('check', jointed).out).toContain('1 handle follows other joints than the anchor');
  expect(judoka('bind', jointed, out, '--method', 'volume').status).toBe(0);
  const { parts, rows, skeleton } = await readCharacter(openGlb(new Uint8Array(readFileSync(out))));
  const boot = parts.findIndex(({ name }) => name === 'boot front');
  const ankle = skeleton.joints.findIndex(({ name }) => name === 'ankle_front');
  for (let p = 0; p < parts[boot].pointCount; p++)
    expect(influencesOf(rows[boot], p)).toEqual([{ joint: ankle, weight: 1 }]);
  const trial = judoka('trial', out, '--json');
  expect(trial.status).toBe(0);
  expect(trial.out).toContain('knee_front');
  expect(judoka('check', out).out).not.toContain('handle follows');
});

test('what is no drawing is refused in a sentence', () => {
  writeFileSync(drawing, '<svg xmlns="http://www.w3.org/2000/svg"><g></svg>');
  const { status, err } = judoka('info', drawing);
  expect(status).toBe(2);
  expect(err).toMatch(/not well-formed XML.*line 1|not well-formed XML/);
});
