import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import { laySkin, skinRange, type SkinArrays } from '../../deform/skin.ts';
import { readMoved } from '../../document/movedPoints.ts';
import { readSettings } from '../../document/settings.ts';
import type { DocumentValues } from '../../document/values.ts';
import { computeNormals } from '../../mesh/normals.ts';
import { PLAIN_MEMORY } from '../../memory/kernelMemory.ts';
import { grid, rowsFrom } from '../../testing/shapes.ts';
import { RestStroke } from './RestStroke.ts';

const { positions, triangles } = grid(3, 3);
const pointCount = positions.length / 3;

/** A sheet on two joints, the second turned about z by so much and scaled. */
function bent(angle: number, scale = 1): SkinArrays {
  const skin = laySkin(PLAIN_MEMORY, pointCount, 8, 2);
  skin.rest.set(positions);
  skin.restNormals.set(computeNormals(positions, triangles));
  const rows = rowsFrom(
    Array.from({ length: pointCount }, (_, p) => ({ 0: 1 - (p % 4) / 3, 1: (p % 4) / 3 })),
  );
  skin.rows.joints.set(rows.joints);
  skin.rows.values.set(rows.values);
  const [c, s] = [scale * Math.cos(angle), scale * Math.sin(angle)];
  skin.palette.set([1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1], 0);
  skin.palette.set([c, s, 0, 0, -s, c, 0, 0, 0, 0, scale, 0, 1, 2, 3, 1], 16);
  skin.palette.set([1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1], 32);
  skinRange(skin, 0, pointCount);
  return skin;
}
const strokeOn = (skin: SkinArrays, held = {}): RestStroke =>
  new RestStroke({ index: 0, skin, triangles, pointCount, held });

test('a point is moved at rest so that the pose has it just as far as the hand went', () => {
  fc.assert(
    fc.property(
      fc.integer({ min: 0, max: pointCount - 1 }),
      fc.tuple(
        fc.integer({ min: -9, max: 9 }),
        fc.integer({ min: -9, max: 9 }),
        fc.integer({ min: -9, max: 9 }),
      ),
      fc.integer({ min: -120, max: 120 }),
      (point, by, degrees) => {
        const skin = bent((degrees * Math.PI) / 180, 2);
        const before = skin.positions.slice(point * 3, point * 3 + 3);
        const stroke = strokeOn(skin);
        stroke.move(
          Uint32Array.of(point),
          1,
          Float64Array.from(by, (x) => x / 10),
          'now',
        );
        skinRange(skin, 0, pointCount);
        for (let k = 0; k < 3; k++)
          expect(skin.positions[point * 3 + k] - before[k]).toBeCloseTo(by[k] / 10, 4);
      },
    ),
  );
});

test('a drag goes from where it began, dabs add up; normals go along, and come back', () => {
  const skin = bent(0);
  const stroke = strokeOn(skin);
  const list = Uint32Array.of(5);
  for (const far of [1, 3, 2]) stroke.move(list, 1, Float64Array.of(0, 0, far), 'start');
  expect(skin.rest[5 * 3 + 2]).toBe(2);
  stroke.move(list, 1, Float64Array.of(0, 0, 0.5), 'now');
  expect(skin.rest[5 * 3 + 2]).toBe(2.5);
  const touched = stroke.settle([5]);
  expect(touched).toContain(4);
  // The neighbour on the left leans away from what was raised.
  expect(skin.restNormals[4 * 3]).toBeLessThan(-0.1);
  expect(skin.restNormals[5 * 3 + 2]).toBeCloseTo(1, 5);
  stroke.takeBack();
  expect([...skin.rest]).toEqual([...positions]);
  expect(skin.restNormals[4 * 3 + 2]).toBeCloseTo(1, 6);
});

test('what the document holds is the sum of what it held and the stroke, and nothing where that is none', () => {
  const first = strokeOn(bent(0));
  first.put(5, [0, 0, 1], 'now');
  const values = first.values() as DocumentValues;
  const held = readSettings(values).moved[0] ?? {};
  const skin = bent(0);
  skin.rest[5 * 3 + 2] = 1;
  const second = strokeOn(skin, held);
  second.put(5, [0.25, 0, -1], 'now');
  second.put(6, [0, 2, 0], 'now');
  const both = readMoved(readSettings(second.values()).moved[0] ?? {});
  expect([...both.points]).toEqual([5, 6]);
  expect([...both.moves]).toEqual([0.25, 0, 0, 0, 2, 0]);
  const third = strokeOn(skin, held);
  third.put(5, [0, 0, -1], 'now');
  expect(third.values()).toEqual({ 'moved/0/0': null });
});
