import { describe, expect, test } from '@jest/globals';
import { checkUp } from '@judoka/core/analysis/checkUp';
import { drawDrawing } from '@judoka/core/analysis/picture';
import type { Character } from '@judoka/core/document';
import { asGlb, openGlb, readCharacter, writeSvg } from '@judoka/core/formats';
import { weightOf } from '@judoka/core/weights';
import { makeLamplighterDrawing } from './drawing.ts';
import { makeLamplighter } from './lamplighter.ts';

const read = async (bytes: Uint8Array): Promise<Character> => readCharacter(openGlb(bytes));
const draw = ({ drawing, parts }: Character) => {
  if (!drawing) throw new Error('There is no drawing.');
  return drawDrawing(drawing, parts, 200, 300);
};

describe('the lamplighter', () => {
  test('is drawn the same when it has gone out and come in again', async () => {
    const came = await read(asGlb(new TextEncoder().encode(makeLamplighterDrawing())));
    const layers = came.parts.map(({ vertexPoint, positions }) => ({
      ...{ vertexPoint, rest: positions, posed: positions },
    }));
    if (!came.drawing) throw new Error('There is no drawing.');
    const again = await read(asGlb(new TextEncoder().encode(writeSvg(came.drawing, layers))));
    const [before, after] = [draw(came), draw(again)];
    let apart = 0;
    for (let k = 0; k < before.pixels.length; k++)
      if (Math.abs(before.pixels[k] - after.pixels[k]) > 12) apart++;
    expect(apart / before.pixels.length).toBeLessThan(2e-3);
    // It is there: the coat is where it should be, the page beside it is clear.
    const at = (x: number, y: number): number[] => [
      ...before.pixels.subarray((y * 200 + x) * 4, (y * 200 + x) * 4 + 4),
    ];
    expect(at(105, 150)[3]).toBe(255);
    expect(at(105, 150)[2]).toBeGreaterThan(at(105, 150)[1]);
    expect(at(10, 150)[3]).toBe(0);
  });

  test('is well without its faults, and has those that are listed with them', async () => {
    const well = await read(await makeLamplighter({ faults: false }));
    expect(checkUp(well).filter(({ severity }) => severity !== 'note')).toEqual([]);
    const faulty = await read(await makeLamplighter({ faults: true }));
    expect(
      checkUp(faulty).flatMap(({ code, severity, count }) => (severity === 'note' ? [] : [[code, count]])),
    ).toEqual([['handles-apart', 1]]);
    const named = (name: string): number => faulty.skeleton.joints.findIndex((joint) => joint.name === name);
    const part = (name: string): number => faulty.parts.findIndex((each) => each.name === name);
    const [hand, leg] = [part('hand front'), part('leg front')];
    for (let p = 0; p < faulty.parts[hand].pointCount; p++)
      expect(weightOf(faulty.rows[hand], p, named('hips'))).toBe(1);
    const changed = Array.from({ length: faulty.parts[leg].pointCount }, (_, p) => p).filter(
      (p) =>
        weightOf(faulty.rows[leg], p, named('hip_front')) === 1 &&
        weightOf(well.rows[leg], p, named('hip_front')) < 0.9,
    );
    expect(changed.length).toBeGreaterThan(0);
    expect(faulty.parts[part('arm front')].pointCount).toBeLessThan(well.parts[part('arm front')].pointCount);
  });

  test('is made the same every time', async () => {
    const [a, b] = await Promise.all([makeLamplighter({ faults: true }), makeLamplighter({ faults: true })]);
    expect(Buffer.from(a).equals(Buffer.from(b))).toBe(true);
  });
});
