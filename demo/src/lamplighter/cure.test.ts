import { beforeAll, expect, test } from '@jest/globals';
import { bendJudge, BendMeter } from '@judoka/core/analysis/bends';
import { checkInput } from '@judoka/core/analysis/checkUp';
import { rangesOf } from '@judoka/core/analysis/strays';
import type { Character } from '@judoka/core/document';
import { anchorsOfPoints } from '@judoka/core/drawing';
import { openGlb, readCharacter } from '@judoka/core/formats';
import { bindSkin } from '@judoka/core/operations/bind';
import { type Cure, cureBends } from '@judoka/core/operations/cure';
import { DEFAULT_SOFTNESS } from '@judoka/core/skeleton';
import { apply, copyRows, createRows, jointMass, rowSum, type WeightRows } from '@judoka/core/weights';
import { makeLamplighter } from './lamplighter.ts';

// A flat character, bound anew to the nearest bones and cured in all bends.
let character: Character;
let bound: WeightRows[];
let cure: Cure;

beforeAll(async () => {
  character = await readCharacter(openGlb(await makeLamplighter({ faults: false })));
  const { skeleton, parts, drawing } = character;
  const jointCount = skeleton.joints.length;
  const mass = new Float64Array(jointCount);
  character.rows.forEach((rows) => jointMass(rows, jointCount, mass));
  bound = character.rows.map(({ pointCount, stride }) => createRows(pointCount, stride));
  const locks = new Uint8Array(jointCount);
  const { change } = await bindSkin(
    { parts, skeleton, rows: bound, drawing },
    {
      ...{ method: 'nearest', softness: DEFAULT_SOFTNESS, limit: 4, locks },
      parts: parts.flatMap(({ role }, i) => (role === 'skinned' ? [i] : [])),
      deforming: Uint8Array.from(mass, (own) => (own > 0 ? 1 : 0)),
    },
  );
  apply(bound, change);
  const subject = { ...character, rows: bound };
  const ranges = rangesOf(subject, {}, checkInput(subject, {}).pairs);
  const judge = bendJudge(await BendMeter.create(subject), ranges);
  const joints = ranges.filter(({ kind }) => kind !== 'fixed').map(({ joint }) => joint);
  cure = await cureBends(subject, ranges, judge, { joints, limit: 4, locks });
});

test('its bends are less bad afterwards, none is worse', () => {
  const sum = (of: 'before' | 'after'): number => cure.joints.reduce((total, each) => total + each[of], 0);
  expect(sum('after')).toBeLessThan(0.8 * sum('before'));
  const most = Math.max(...cure.joints.map(({ before }) => before));
  for (const { before, after } of cure.joints) expect(after).toBeLessThanOrEqual(1.02 * before + 1e-4 * most);
});

test('handles go along with their anchors, and sums stay one', () => {
  const rows = bound.map(copyRows);
  apply(rows, cure.change);
  expect(cure.change.length).toBeGreaterThan(3);
  for (const { part, points } of cure.change) {
    const { vertexPoint, pointCount } = character.parts[part];
    const layer = character.drawing?.layers[part];
    if (!layer) throw new Error('A part without a layer.');
    const anchors = anchorsOfPoints(layer, vertexPoint, pointCount);
    const row = (of: WeightRows, p: number): number[] => [
      ...of.joints.subarray(p * of.stride, (p + 1) * of.stride),
      ...of.values.subarray(p * of.stride, (p + 1) * of.stride),
    ];
    for (const p of points) {
      expect(p).toBeLessThan(pointCount);
      expect(Math.abs(rowSum(rows[part], p) - 1)).toBeLessThan(1e-6);
      if (JSON.stringify(row(bound[part], p)) === JSON.stringify(row(bound[part], anchors[p])))
        expect(row(rows[part], p)).toEqual(row(rows[part], anchors[p]));
    }
  }
});
