import { existsSync, mkdtempSync, readdirSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import { makeFerryKeeper } from '@judoka/demo';
import { judoka } from './testing.ts';

const folder = mkdtempSync(join(tmpdir(), 'judoka-misuse-'));
const keeper = join(folder, 'keeper.glb');
const out = join(folder, 'out.glb');

beforeAll(async () => {
  writeFileSync(keeper, await makeFerryKeeper({ size: 'small', faults: false }));
});
afterAll(() => rmSync(folder, { recursive: true, force: true }));

/** Refused with 2 and one sentence, and nothing is written. */
function refused(args: readonly string[], words: RegExp): void {
  const before = readdirSync(folder);
  const { status, err, out: printed } = judoka(...args);
  expect(err.trim().split('\n')).toHaveLength(1);
  expect(err).toMatch(words);
  expect(err).not.toMatch(/ at .*\.[jt]s|undefined|Cannot read/);
  expect(status).toBe(2);
  expect(printed).toBe('');
  expect(readdirSync(folder)).toEqual(before);
}

describe('options that are none', () => {
  test.each([
    [['bind', keeper, out, '--method', 'magic'], /nearest, heat or volume|magic/],
    [['bind', keeper, out], /--method/],
    [['bind', keeper, out, '--method', 'nearest', '--falloff', '7'], /falloff/i],
    [['bind', keeper, out, '--method', 'nearest', '--max-influences', '0'], /influences/],
    [['bind', keeper, out, '--method', 'nearest', '--max-influences', 'four'], /influences/],
    [['normalize', keeper, out, '--max-influences', '-1'], /influences/],
    [['prune', keeper, out, '--below', '2'], /below/],
    [['prune', keeper, out, '--round', 'x'], /round/],
    [['smooth', keeper, out, '--passes', '1.5'], /passes/],
    [['smooth', keeper, out, '--joints', 'nobody'], /nobody/],
    [['normalize', keeper, out, '--lock', 'head,nobody'], /nobody/],
    [['mirror', keeper, out, '--from', 'front'], /left or right/],
    [['mirror', keeper, out, '--from', 'left', '--tolerance', '9'], /tolerance/],
    [['trial', keeper, '--skinning', 'soft'], /linear or dual|soft/],
    [['trial', keeper, '--relaxed', '0'], /--relaxed/],
    [['trial', keeper, '--clip', 'no such clip'], /no such clip/],
    [['trial', keeper, '--bvh', join(folder, 'none.bvh')], /There is no file/],
    [['check', keeper, '--profile', 'moon'], /moon/],
    [['repair', keeper, out, '--only', 'nothing-like-it'], /nothing-like-it/],
  ])('%j', (args, words) => refused(args, words));
});

describe('places to write that are none', () => {
  test.each([
    [['convert', keeper, join(folder, 'out.txt')], /ends in neither/],
    [['convert', keeper, join(folder, 'no', 'such', 'folder.glb')], /There is no/],
    [['bind', keeper, join(folder, 'out'), '--method', 'nearest'], /ends in neither/],
    [['strays', keeper, '--remove', join(folder, 'out.obj')], /ends in neither/],
  ])('%j', (args, words) => refused(args, words));
});

describe('files that are none', () => {
  const bad = join(folder, 'bad.glb');
  test.each([
    ['nothing at all', new Uint8Array(0), /empty/],
    ['a text', new TextEncoder().encode('hello, this is not a model'), /none of the files that can be read/],
    ['JSON that is no glTF', new TextEncoder().encode('{"a": 1}'), /version/],
    ['JSON that is cut', new TextEncoder().encode('{"asset": {"ver'), /cannot be parsed/],
  ])('%s', (_name, bytes, words) => {
    writeFileSync(bad, bytes);
    for (const command of [['info'], ['check'], ['strays'], ['trial']]) refused([...command, bad], words);
    refused(['convert', bad, out], words);
  });

  test('a folder', () => refused(['info', folder], /cannot be opened|EISDIR/));
});

test('alone it prints what it can do, and ends with 2', () => {
  const { status, err } = judoka();
  expect(status).toBe(2);
  for (const command of ['info', 'convert', 'check', 'repair', 'bind', 'mirror', 'trial', 'strays'])
    expect(err).toContain(command);
});

test('asked for help it prints the same, and ends with 0', () => {
  const { status, out: printed } = judoka('--help');
  expect(status).toBe(0);
  expect(printed).toContain('Usage: judoka');
});

test('nothing was written by any of it', () => {
  expect(existsSync(out)).toBe(false);
});
