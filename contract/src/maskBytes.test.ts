import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import { decodeMask, encodeMask } from './maskBytes.ts';

const amounts = fc
  .array(fc.integer({ min: 0, max: 255 }), { maxLength: 60 })
  .map((steps) => Float32Array.from(steps, (step) => step / 255));

test('a mask comes back as it was, parts without amounts too', () => {
  fc.assert(
    fc.property(amounts, amounts, (one, other) => {
      const mask = new Map([
        [0, one],
        [7, other],
      ]);
      expect(decodeMask(encodeMask(mask))).toEqual(mask);
    }),
  );
});

test('only points above nothing take room', () => {
  const bytes = encodeMask(
    new Map([[0, Float32Array.from({ length: 10_000 }, (_, p) => (p === 5 ? 1 : 0))]]),
  );
  expect(bytes.length).toBeLessThan(200);
});

test('damaged bytes are refused', () => {
  const bytes = encodeMask(new Map([[0, Float32Array.of(0, 1, 0.5)]]));
  expect(() => decodeMask(bytes.subarray(0, bytes.length - 4))).toThrow();
  const wild = bytes.slice();
  // The first listed point lies beyond the part.
  wild[wild.length - 12] = 200;
  expect(() => decodeMask(wild)).toThrow(/mask is damaged/);
});
