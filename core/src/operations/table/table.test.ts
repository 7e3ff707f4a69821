import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { CoreError } from '../../errors.ts';
import { readWeightTable, weightsCsv, weightsJson } from '../../formats/table/weightTables.ts';
import { encodeText } from '../../formats/text.ts';
import { rowsFrom } from '../../testing/shapes.ts';
import { partOf, skeletonOf } from '../../testing/testBody.ts';
import { apply } from '../../weights/delta.ts';
import { copyRows, createRows, influencesOf, type WeightRows } from '../../weights/rows.ts';
import { createCandidates, normalizeCandidates } from '../../weights/normalize.ts';
import { applyTable, type TableBy } from './index.ts';

const PLACES: [number, number, number][] = [
  [0, 0, 0],
  [0, 1, 0],
  [0, 2, 0],
];
const skeleton = skeletonOf([
  ['hip; "left"', -1, PLACES[0]],
  ['knee, é', 0, PLACES[1]],
  ['foot', 1, PLACES[2]],
]);
const parts = [partOf('leg', [0, 0, 0, 1, 0, 0, 0, 1, 0, 0.1, 2, 0], [0, 1, 2, 1, 2, 3], PLACES)];
const subject = (rows: WeightRows) => ({ parts, skeleton, rows: [rows] });
const bare = (): WeightRows => createRows(4);
const put = (text: string, rows = bare(), by: TableBy = 'index', locks = new Uint8Array(3)) => {
  const { change, report } = applyTable(subject(rows), readWeightTable(encodeText(text)), { by, locks });
  apply([rows], change);
  return { rows, report };
};
const refusal = (text: string, by: TableBy = 'index'): string => {
  try {
    put(text, bare(), by);
  } catch (error) {
    if (error instanceof CoreError) return error.message;
  }
  throw new Error('It was not refused.');
};

describe('weights as tables', () => {
  test('both kinds come back to the bit, whatever the weights are', () => {
    const weight = fc.integer({ min: 0, max: 100_000 }).map((steps) => steps / 100_000);
    fc.assert(
      fc.property(fc.array(fc.tuple(weight, weight, weight), { minLength: 4, maxLength: 4 }), (all) => {
        const rows = createRows(4);
        const c = createCandidates();
        all.forEach((weights, point) => {
          c.count = 3;
          weights.forEach((x, k) => ([c.joints[k], c.values[k]] = [k, x]));
          normalizeCandidates(rows, point, c, { fixed: -1, limit: 8, locks: new Uint8Array(3) });
        });
        for (const text of [weightsCsv(subject(rows), [rows]), weightsJson(subject(rows), [rows])]) {
          const back = put(text).rows;
          expect([...back.values]).toEqual([...rows.values]);
          expect([...back.joints]).toEqual([...rows.joints]);
        }
      }),
    );
  });

  test('by place another numbering fits, and what stands nowhere near is counted', () => {
    const text = 'point,x,y,z,joint,weight\n7,0.1,2,0,foot,1\n9,5,5,5,foot,1\n';
    const { rows, report } = put(text, bare(), 'place');
    expect(influencesOf(rows, 3)).toEqual([{ joint: 2, weight: 1 }]);
    expect(report).toMatchObject({ found: 1, lost: 1 });
  });

  test('semicolons and decimal commas, a mark at the start, other columns and line ends are taken', () => {
    const text = '\ufeffweight;note;joint;point\r\n0,25;x;foot;1\r\n0,75;;knee, é;1\r\n';
    const { rows } = put(text);
    expect(influencesOf(rows, 1)).toEqual([
      { joint: 1, weight: 0.75 },
      { joint: 2, weight: 0.25 },
    ]);
  });

  test('sums that are off are scaled and counted; locked joints keep theirs', () => {
    const rows = rowsFrom([{ 0: 0.5, 1: 0.5 }, {}, {}, {}]);
    const held = copyRows(rows);
    const { report } = put(
      'point,joint,weight\n0,foot,0.4\n0,"knee, é",0.4\n',
      rows,
      'index',
      Uint8Array.of(1, 0, 0),
    );
    expect(report.scaled).toBe(1);
    expect(influencesOf(rows, 0).map(({ weight }) => weight)).toEqual([0.5, 0.25, 0.25]);
    expect(held.values[0]).toBe(rows.values[0]);
  });

  test.each([
    ['', 'is empty'],
    ['a,b\n1,2\n', 'columns “point”, “joint” and “weight” are needed'],
    ['point,joint,weight\n0,head,1\n', 'joint “head” (line 2), which is not there'],
    [
      'point,joint,weight\n9,foot,1\n',
      'point 9 of “leg” (line 2), which has 4 points: it is of another mesh',
    ],
    ['point,joint,weight\n0,foot,1\n1,foot,much\n', 'at line 3: “much” is no number'],
    ['point,joint,weight\n0,foot,100\n', 'weight 100 is not between 0 and 1'],
    ['point,joint,weight\n0,foot,-0.5\n', 'weight -0.5'],
    ['point,joint,weight\n0.5,foot,1\n', 'no number of a point'],
    ['part,point,joint,weight\narm,0,foot,1\n', 'names part “arm” (line 2), and there are: “leg”'],
    ['point,joint,weight\n0,"foot,1\n', 'a quote is left open'],
    [`point,joint,weight${',x'.repeat(100)}\n`, 'it has 103 columns'],
    ['{"judokaWeights":2}', '“judokaWeights”: 1'],
    [
      '{"judokaWeights":1,"parts":[{"name":"leg","points":[{"weights":{"foot":"all"}}]}]}',
      'parts[0].points[0]',
    ],
    ['{"judokaWeights"', 'it is damaged'],
  ])('%j is refused in a sentence', (text, words) => {
    expect(refusal(text)).toContain(words);
  });

  test('by place without places is refused', () => {
    expect(refusal('point,joint,weight\n0,foot,1\n', 'place')).toContain('columns x, y and z are needed');
  });
});
