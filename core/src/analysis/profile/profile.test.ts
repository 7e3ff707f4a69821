import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { DEFAULT_PROFILE, DELIVERY, isNameTaken, readDelivery, readProfile } from '../../document/index.ts';
import { rowsFrom } from '../../testing/shapes.ts';
import { partOf, skeletonOf } from '../../testing/testBody.ts';
import { profileLines, takenNames } from './index.ts';

const PLACES: [number, number, number][] = [
  [0, 0, 0],
  [0, 1, 0],
  [0, 2, 0],
];
const skeleton = skeletonOf([
  ['hips', -1, PLACES[0]],
  ['Knee Left', 0, PLACES[1]],
  ['foot', 1, PLACES[2]],
]);
const part = partOf('leg', [0, 0, 0, 1, 0, 0, 0, 1, 0], [0, 1, 2], PLACES);
const subject = {
  ...{ parts: [part], skeleton, height: 180 },
  rows: [rowsFrom([{ 0: 0.5, 1: 0.5 }, { 0: 1 }, { 1: 1 }])],
};
const line = (limit: string, profile: Partial<typeof DEFAULT_PROFILE>, delivery = {}) => {
  const lines = profileLines(subject, { ...DEFAULT_PROFILE, ...profile }, { ...DELIVERY, ...delivery });
  return lines.find((one) => one.limit === limit);
};

describe('limits, line by line', () => {
  test('influences name their points; joints without weight count until they are left out', () => {
    expect(line('influences', { influences: 1 })).toMatchObject({
      isMet: false,
      excess: 2,
      points: new Map([[0, Uint32Array.of(0)]]),
    });
    expect(line('joints', { joints: 2 })).toMatchObject({ isMet: false, used: 2 });
    expect(line('joints', { joints: 2 })?.words).toBe(
      'A skin has 3 joints, of which 1 has no weight on it; 2 are taken.',
    );
    expect(line('joints', { joints: 2 }, { leavesEmptyJoints: true })?.isMet).toBe(true);
  });

  test('vertices, weights, names, joints that have to be there, height and up', () => {
    expect(line('vertices', { vertices: 2 })?.words).toBe('“leg” has 3 vertices; 2 a part are taken.');
    expect(line('vertices', { vertices: 2 }, { maxVertices: 2 })?.isMet).toBe(true);
    expect(line('weights', { weights: 'u8' })?.isMet).toBe(false);
    expect(line('weights', { weights: 'u16' }, { weights: 'u8' })?.isMet).toBe(true);
    expect(line('names', { names: { length: 0, pattern: '[a-z_]+' } })).toMatchObject({
      isMet: false,
      joints: [1],
    });
    expect(line('required', { required: ['hips', 'head'] })).toMatchObject({
      isMet: false,
      missing: ['head'],
    });
    expect(line('height', { height: [1, 3] })).toMatchObject({ isMet: false, excess: 60 });
    expect(line('height', { height: [1, 3] }, { scale: 0.01 })?.isMet).toBe(true);
    expect(line('up', { up: 'Z' })?.isMet).toBe(false);
    expect(line('up', { up: 'Z' }, { up: 'Z' })?.isMet).toBe(true);
  });

  test('the worst stands first', () => {
    const lines = profileLines(
      subject,
      { ...DEFAULT_PROFILE, influences: 1, joints: 1, vertices: 3 },
      DELIVERY,
    );
    expect(lines.map(({ limit }) => limit)).toEqual(['joints', 'influences', 'vertices']);
  });
});

describe('names that are taken', () => {
  test('are the nearest spelling, each once', () => {
    const names = takenNames(skeleton, { length: 0, pattern: '[a-z_]+' });
    expect([...names]).toEqual([[1, 'knee_left']]);
    const short = takenNames(skeleton, { length: 3, pattern: '' });
    expect([...short.values()]).toEqual(['hip', 'Kne', 'foo']);
  });

  test('whatever the names are, what is found is taken, and nobody’s twice', () => {
    const limits = { length: 8, pattern: '[a-z][a-z0-9_]*' };
    fc.assert(
      fc.property(fc.array(fc.string({ maxLength: 12 }), { minLength: 2, maxLength: 8 }), (given) => {
        const own = skeletonOf(given.map((name, i) => [name, i - 1, [0, i, 0]] as const));
        const found = takenNames(own, limits);
        const now = own.joints.map(({ name }, joint) => found.get(joint) ?? name);
        for (const name of found.values()) expect(isNameTaken(name, limits)).toBe(true);
        const taken = now.filter((name) => [...found.values()].includes(name));
        expect(new Set(taken).size).toBe(taken.length);
      }),
    );
  });
});

describe('profiles and deliveries from files', () => {
  const good = {
    name: 'Ours',
    influences: 4,
    joints: 60,
    vertices: 20000,
    weights: 'u8',
    required: ['root'],
    height: [1, 2],
    up: 'Z',
  };

  test('are taken as they are', () => {
    expect(readProfile(good)).toEqual(good);
    expect(readDelivery({ weights: 'u16', scale: 0.01 })).toEqual({
      ...DELIVERY,
      weights: 'u16',
      scale: 0.01,
    });
  });

  test.each([
    [{ influences: 0 }, '“influences” has to be a whole number from 1 to 64'],
    [{ name: '' }, '“name”'],
    [{ weights: 'f16' }, 'one of: f32, u16, u8'],
    [{ height: [2, 1] }, 'two lengths in metres'],
    [{ required: [1] }, 'a list of at most 500 names'],
    [{ names: { pattern: '(a+)+' } }, 'without repeats of repeats'],
    [{ up: 'X' }, 'one of: Y, Z'],
  ])('%j is refused by its field', (change, words) => {
    expect(() => readProfile({ ...good, ...change })).toThrow(words);
  });

  test.each([
    [{ weights: 'u4' }, '“weights”'],
    [{ colour: 'red' }, 'there is no such setting'],
    [{ maxJoints: 1 }, 'at least 2'],
    [{ isPacked: 'yes' }, 'a boolean'],
  ])('%j is no delivery', (json, words) => {
    expect(() => readDelivery(json)).toThrow(words);
  });
});
