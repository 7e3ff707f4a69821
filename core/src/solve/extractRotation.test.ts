import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import { mat3, quat } from 'gl-matrix';
import { extractRotation } from './extractRotation.ts';

const unit = fc
  .tuple(...[0, 1, 2, 3].map(() => fc.double({ min: -1, max: 1, noNaN: true })))
  .filter((q) => Math.hypot(...q) > 0.1)
  .map((q) => quat.normalize(quat.create(), q as unknown as quat));
const size = fc.double({ min: 0.2, max: 3, noNaN: true });

test('of a rotation after a stretch along three axes, the rotation is found', () => {
  fc.assert(
    fc.property(unit, unit, size, size, size, (turn, axes, x, y, z) => {
      const r = mat3.fromQuat(mat3.create(), turn);
      const u = mat3.fromQuat(mat3.create(), axes);
      const stretch = mat3.multiply(mat3.create(), u, [x, 0, 0, 0, y, 0, 0, 0, z]);
      mat3.multiply(stretch, stretch, mat3.transpose(mat3.create(), u));
      const found = new Float32Array([0, 0, 0, 1, ...turn]);
      // The guess is a quarter turn away at most, as from one round to the next.
      const guess = quat.slerp(quat.create(), turn, quat.multiply(quat.create(), turn, axes), 0.2);
      found.set(guess, 0);
      for (let again = 0; again < 20; again++)
        extractRotation(mat3.multiply(mat3.create(), r, stretch), found, 0);
      const same = Math.abs(quat.dot(found.subarray(0, 4), turn));
      // It ends where what is left is 0.002 or less; about a long stretch a turn is seen by its two short sides alone.
      const left = (2 * 0.002 * (x + y + z)) / (x + y + z - Math.max(x, y, z));
      expect(1 - same).toBeLessThan(left ** 2 / 8 + 1e-6);
      // The other one is not touched.
      expect([...found.subarray(4)]).toEqual([...Float32Array.from(turn)]);
    }),
    { examples: [[quat.fromValues(0, 1, 0, 0), quat.fromValues(0, -1, 0, 0), 0.2, 2.873504757881165, 0.2]] },
  );
});

test('a flat matrix gives a rotation too', () => {
  const found = new Float32Array([0, 0, 0, 1]);
  // What lies in the plane z = 0 is turned a quarter about z.
  for (let again = 0; again < 8; again++) extractRotation([0, 1, 0, -1, 0, 0, 0, 0, 0], found, 0);
  expect(found[2]).toBeCloseTo(Math.SQRT1_2, 3);
  expect(Math.abs(found[3])).toBeCloseTo(Math.SQRT1_2, 3);
});

test('nothing stays nothing', () => {
  const found = new Float32Array([0, 0, 0, 1]);
  extractRotation(new Float64Array(9), found, 0);
  expect([...found]).toEqual([0, 0, 0, 1]);
});
