import { describe, expect, test } from '@jest/globals';
import { randomUUID } from 'node:crypto';
import { editLabel, givenName, shorten, storableText } from './text.ts';
import { schemaOfPath, valueChange } from './values.ts';

const ID = randomUUID();
const sentenceOf = (lines: unknown): string => {
  const read = valueChange.safeParse(lines);
  return read.success ? '' : `${read.error.issues[0].path.join('.')}: ${read.error.issues[0].message}`;
};
const line = (path: string, after: unknown, before: unknown = null) => ({ path, before, after });

describe('what may stand at a path', () => {
  test.each([
    ['locks/4', true],
    ['nonDeforming/0', true],
    ['pairs/3', 7],
    ['pairs/3', -1],
    [`confines/2`, ID],
    ['reaches/2', { inner: 0.1, outer: 0.4, strength: 1, falloff: 'smooth' }],
    ['ranges/2', { bend: [-10, 90], side: [0, 0], twist: [-5, 5] }],
    ['pose/2', { rotation: [0, 0, 0, 1], translation: [0, 1, 0], scale: [1, 1, 1] }],
    ['skinning', 'dual'],
    [`dials/${ID}`, 1.25],
    ['relaxing', { passes: 10, strength: 1, keepsVolume: false }],
    ['parts/4/follows', { driver: 0 }],
    ['shapes/0', { name: 'smile', mask: ID }],
    ['shapes/1', { turn: { joint: 3, axis: 'x', from: 0, to: 90, isSmooth: true } }],
    [`shapes/${ID}`, { name: 'smile left', of: 0, mask: ID, savedAt: 5 }],
    ['shapeAmounts/0', -0.5],
    ['parts/4/follows', { driver: 0, mask: ID, isOff: true }],
    ['parts/0/name', 'Cape'],
    ['parts/0/role', 'rigid'],
    [`pieces/1/${ID}`, { name: 'Left', seeds: [1, 2] }],
    [`dismissed/${ID}`, { part: 0, joint: 3, points: [4] }],
    [`selections/${ID}`, { name: 'Wrist', attachment: ID, savedAt: 1 }],
    [`poses/${ID}`, { name: 'Flap', joints: {}, picture: null, joint: null, savedAt: 1 }],
    [`motions/${ID}`, { name: 'Walk', attachment: ID, follows: { 3: 1 }, savedAt: 1 }],
  ])('%s', (path, value) => {
    expect(sentenceOf([line(path, value)])).toBe('');
    expect(sentenceOf([line(path, null, value)])).toBe('');
  });

  test.each([
    ['nothing/4', true, /there is no “nothing\/4”/],
    ['locks', true, /there is no/],
    ['locks/4/more', true, /there is no/],
    ['locks/-1', true, /there is no/],
    ['locks/1e3', true, /there is no/],
    ['locks/70000', true, /there is no/],
    ['poses/my-pose', {}, /there is no/],
    ['__proto__/1', true, /there is no/],
    ['constructor', true, /there is no/],
    ['parts/0/colour', 'red', /there is no/],
  ])('%s is no path', (path, value, sentence) => {
    expect(sentenceOf([line(path, value)])).toMatch(sentence);
    expect(schemaOfPath(path)).toBeUndefined();
  });

  test.each([
    ['locks/4', false],
    ['locks/4', 'yes'],
    ['pairs/3', 1.5],
    ['confines/2', 'wrist'],
    ['reaches/2', { inner: -1, outer: 0.4, strength: 1 }],
    ['ranges/2', { bend: [90], side: [0, 0], twist: [0, 0] }],
    ['pose/2', { rotation: [0, 0, 0], translation: [0, 0, 0], scale: [1, 1, 1] }],
    ['skinning', 'linear'],
    [`dials/${ID}`, 11],
    ['dials/smile', 1],
    ['relaxing', { passes: 0, strength: 1, keepsVolume: false }],
    ['relaxing', { passes: 2.5, strength: 1, keepsVolume: false }],
    ['relaxing', { passes: 3, strength: 2, keepsVolume: false }],
    ['relaxing', { passes: 3, strength: 1, keepsVolume: false, selection: 'elbow' }],
    ['shapes/0', { of: 0, name: 'smile', savedAt: 1 }],
    [`shapes/${ID}`, { name: 'smile left' }],
    ['shapeAmounts/0', 11],
    ['shapes/1', { turn: { joint: 3, axis: 'w', from: 0, to: 90 } }],
    ['shapes/1', { turn: { joint: 3, axis: 'x', from: 0, to: 400 } }],
    ['parts/4/follows', { driver: -1 }],
    ['parts/4/follows', { driver: 0, mask: 'cape' }],
    ['parts/4/follows', { driver: 0, isOff: false }],
    ['parts/0/name', '   '],
    ['parts/0/name', 'a\0b'],
    [`dismissed/${ID}`, { part: -1, joint: 3, points: [] }],
    [`poses/${ID}`, { name: 'x'.repeat(4000), joints: {}, picture: null, joint: null, savedAt: 1 }],
  ])('%s may not be %j; the sentence names the path', (path, value) => {
    expect(sentenceOf([line(path, value)])).toContain(path);
  });

  test('a path may stand once in an edit', () => {
    expect(sentenceOf([line('locks/1', true), line('locks/1', null, true)])).toMatch(/stands twice/);
  });
});

describe('texts', () => {
  test('are cut to a length by letters, never through one', () => {
    expect(shorten('short', 10)).toBe('short');
    expect(shorten('knee', 4)).toBe('knee');
    expect(shorten('knees', 4)).toBe('kne…');
    expect(Array.from(shorten('🦵'.repeat(9), 4))).toEqual(['🦵', '🦵', '🦵', '…']);
  });

  test('a label that is too long is shortened, not refused', () => {
    const label = editLabel.parse(`Add joint ${'a'.repeat(400)}`);
    expect(label.endsWith('…')).toBe(true);
    expect(label.length).toBeLessThan(300);
    expect(editLabel.safeParse('').success).toBe(false);
  });

  test.each(['a\0b', '\uD800', 'x\uDFFFy'])('%j cannot be stored', (text) => {
    expect(storableText.safeParse(text).success).toBe(false);
    expect(givenName.safeParse(text).success).toBe(false);
  });

  test('a pair of surrogates is a letter, and can', () => {
    expect(storableText.safeParse('🦩').success).toBe(true);
    expect(givenName.parse('  Ferry  ')).toBe('Ferry');
  });
});
