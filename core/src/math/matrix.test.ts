import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import { mat4 } from 'gl-matrix';
import { multiplyAt } from './matrix.ts';

const matrix = fc.array(fc.float({ min: -8, max: 8, noNaN: true }), { minLength: 16, maxLength: 16 });

test('one product among many matrices is the product of the two alone, also in place', () => {
  fc.assert(
    fc.property(matrix, matrix, fc.nat(3), fc.nat(3), fc.nat(3), (a, b, i, j, to) => {
      const left = new Float32Array(64);
      const right = new Float32Array(64);
      left.set(a, i * 16);
      right.set(b, j * 16);
      const wanted = [...mat4.multiply(mat4.create(), Float32Array.from(a), Float32Array.from(b))];
      const out = new Float32Array(64).fill(9);
      multiplyAt(out, to * 16, left, i * 16, right, j * 16);
      expect([...out.subarray(to * 16, to * 16 + 16)]).toEqual(wanted);
      expect(out.filter((value) => value === 9).length).toBeGreaterThanOrEqual(48);
      multiplyAt(left, i * 16, left, i * 16, right, j * 16);
      expect([...left.subarray(i * 16, i * 16 + 16)]).toEqual(wanted);
      left.set(a, i * 16);
      multiplyAt(right, j * 16, left, i * 16, right, j * 16);
      expect([...right.subarray(j * 16, j * 16 + 16)]).toEqual(wanted);
    }),
  );
});
