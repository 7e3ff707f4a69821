import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import { checkFollows, type FollowsByPart, soundFollows } from './partFollows.ts';

const nameOf = (part: number): string => `part ${part}`;

test('a part follows another one, in a chain too, and not itself nor what follows it', () => {
  const follows: FollowsByPart = { 2: { driver: 1 }, 1: { driver: 0 } };
  expect(() => checkFollows(follows, 3, 2, nameOf)).not.toThrow();
  expect(() => checkFollows(follows, 1, 1, nameOf)).toThrow('A part cannot follow itself.');
  expect(() => checkFollows(follows, 0, 2, nameOf)).toThrow(
    'part 2 follows part 0: let go of that first, or let part 0 follow another part.',
  );
  expect([...soundFollows(follows, 3).keys()]).toEqual([1, 2]);
  // A file of fewer parts.
  expect([...soundFollows(follows, 2).keys()]).toEqual([1]);
});

test('whatever stands in a document, every chain of what follows ends', () => {
  fc.assert(
    fc.property(fc.array(fc.integer({ min: -1, max: 7 }), { maxLength: 8 }), (drivers) => {
      const follows = Object.fromEntries(
        drivers.flatMap((driver, part) => (driver < 0 ? [] : [[part, { driver }]])),
      );
      const sound = soundFollows(follows, drivers.length);
      for (const part of sound.keys()) {
        let next: number | undefined = part;
        for (let steps = 0; next !== undefined; steps++) {
          expect(steps).toBeLessThanOrEqual(drivers.length);
          next = sound.get(next)?.driver;
        }
      }
    }),
  );
});
