import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { bendJudge } from '../../analysis/bends/bendJudge.ts';
import { BendMeter } from '../../analysis/bends/bendMeter.ts';
import type { MotionRange } from '../../animation/motionRange.ts';
import { PosedPalettes } from '../../deform/PosedPalettes.ts';
import { CoreError } from '../../errors.ts';
import { findNeighbours } from '../../mesh/topology.ts';
import { rotationFromAngles } from '../../skeleton/pose.ts';
import { bentTube } from '../../testing/testTube.ts';
import { rowsFrom } from '../../testing/shapes.ts';
import { partOf, skeletonOf } from '../../testing/testBody.ts';
import { apply, invert } from '../../weights/delta.ts';
import { copyRows, influenceCount, influencesOf, rowSum, weightOf } from '../../weights/rows.ts';
import { coarsen } from './coarsen.ts';
import { type Cure, cureBends, type CureRequest } from './cureBends.ts';
import { settleWeights } from './settleWeights.ts';

/** The second joint bends about z. */
const RANGE: MotionRange = {
  joint: 1,
  kind: 'hinge',
  axes: { bend: [0, 0, 1], side: [0, 1, 0], twist: [1, 0, 0] },
  limits: { bend: [0, 60], side: [0, 0], twist: [0, 0] },
};
const REQUEST: CureRequest = { joints: [1], limit: 4, locks: new Uint8Array(2) };

type Body = ReturnType<typeof bentTube>;

async function cured(subject: Body, request: Partial<CureRequest> = {}): Promise<Cure> {
  const judge = bendJudge(await BendMeter.create(subject), [RANGE]);
  return cureBends(subject, [RANGE], judge, { ...REQUEST, ...request });
}

/** A step in the middle of the bend, and a bend that begins too early. */
const hard = bentTube((x) => (x > 0.1 ? 1 : 0));
const early = bentTube((x) => (x + 3) / 2);

describe('a bend that is bad', () => {
  test.each([
    ['a hard step', hard, 0.6],
    ['a bend in the wrong place', early, 0.5],
  ])('%s is cured', async (_name, subject, least) => {
    const { change, joints } = await cured(subject);
    expect(joints[0].joint).toBe(1);
    expect(joints[0].after).toBeLessThan((1 - least) * joints[0].before);
    // What is told is what is measured afterwards.
    const rows = subject.rows.map(copyRows);
    apply(rows, change);
    const judge = bendJudge(await BendMeter.create({ ...subject, rows }), [RANGE]);
    expect(judge.damageOf(1)).toBeCloseTo(joints[0].after, 5);
    for (const { part, points } of change)
      for (const p of points) {
        expect(Math.abs(rowSum(rows[part], p) - 1)).toBeLessThan(1e-6);
        expect(influenceCount(rows[part], p)).toBeLessThanOrEqual(4);
      }
    apply(rows, invert(change));
    expect(rows[0].values).toEqual(subject.rows[0].values);
  });

  test('the far end goes as far as it went', async () => {
    const rows = hard.rows.map(copyRows);
    apply(rows, (await cured(hard)).change);
    const { positions, pointCount } = hard.parts[0];
    for (let p = 0; p < pointCount; p++)
      if (Math.abs(positions[p * 3]) > 3)
        expect(influencesOf(rows[0], p)).toEqual(influencesOf(hard.rows[0], p));
  });

  test('cured again, it changes little', async () => {
    const rows = hard.rows.map(copyRows);
    const first = await cured(hard);
    apply(rows, first.change);
    const second = await cured({ ...hard, rows: [rows[0]] });
    expect(second.joints[0].after).toBeLessThanOrEqual(1.02 * first.joints[0].after);
    expect(second.joints[0].after).toBeGreaterThan(0.3 * first.joints[0].after);
  });

  test('only points of the selection change', async () => {
    const { positions, pointCount } = hard.parts[0];
    const upper = Uint8Array.from({ length: pointCount }, (_, p) => (positions[p * 3 + 1] > 0 ? 1 : 0));
    const { change } = await cured(hard, { within: new Map([[0, upper]]) });
    expect(change).toHaveLength(1);
    expect([...change[0].points].every((p) => upper[p] === 1)).toBe(true);
  });

  test('locked joints keep theirs to the bit: there is nothing left to choose', async () => {
    const { change } = await cured(hard, { locks: Uint8Array.of(0, 1) });
    expect(change).toEqual([]);
  });

  test('a limit of one leaves one', async () => {
    const rows = hard.rows.map(copyRows);
    const { change } = await cured(hard, { limit: 1 });
    apply(rows, change);
    for (const { part, points } of change)
      for (const p of points) expect(influenceCount(rows[part], p)).toBe(1);
  });

  test('a joint may not get weight where it is confined to other points', async () => {
    const { pointCount } = hard.parts[0];
    const nowhere = new Uint8Array(pointCount);
    const rows = hard.rows.map(copyRows);
    const { change } = await cured(hard, { confines: new Map([[1, new Map([[0, nowhere]])]]) });
    apply(rows, change);
    for (let p = 0; p < pointCount; p++)
      if (weightOf(hard.rows[0], p, 1) === 0) expect(weightOf(rows[0], p, 1)).toBe(0);
  });

  test('told to stop, it stops', async () => {
    const judge = bendJudge(await BendMeter.create(hard), [RANGE]);
    const stop = (): void => {
      throw new Error('stopped');
    };
    await expect(cureBends(hard, [RANGE], judge, REQUEST, stop)).rejects.toThrow('stopped');
  });
});

test('loose faces, of which none can stand for others, are cured as they are', async () => {
  const [{ positions, triangles }] = hard.parts;
  const loose = [...triangles].flatMap((p) => [...positions.subarray(p * 3, p * 3 + 3)]);
  const places = [
    [-4, 0, 0],
    [0, 0, 0],
  ] as const;
  const part = partOf('loose', loose, [...triangles.keys()], places);
  // Weights run across the faces: each is torn between both joints.
  const rows = rowsFrom(
    Array.from(triangles, (p) => {
      const share = Math.min(1, Math.max(0, 0.5 + 0.4 * positions[p * 3]));
      return { 0: 1 - share, 1: share };
    }),
  );
  const body = { parts: [part], skeleton: hard.skeleton, rows: [rows] } as unknown as Body;
  const { joints } = await cured(body);
  expect(joints[0].after).toBeLessThan(0.5 * joints[0].before);
});

test('where nothing bends, it says so', async () => {
  const stiff = bentTube(() => 0);
  const judge = bendJudge(await BendMeter.create(stiff), [RANGE]);
  await expect(cureBends(stiff, [RANGE], judge, REQUEST)).rejects.toThrow(CoreError);
});

test('joints that neither weigh at a point nor hang on one that does get little of it', async () => {
  // Beside the limb's own two joints a third, of another limb, that nothing follows but the far end.
  const places = [
    [-4, 0, 0],
    [0, 0, 0],
    [-4, 3, 0],
    [-4, 4, 0],
  ] as const;
  const skeleton = skeletonOf([
    ['upper', -1, places[0]],
    ['lower', 0, places[1]],
    ['aside', 0, places[2]],
    ['tip', 2, places[3]],
  ]);
  const [{ positions, triangles }] = hard.parts;
  const part = partOf('limb', [...positions], [...triangles], places);
  const rows = rowsFrom(
    Array.from({ length: part.pointCount }, (_, p): Record<number, number> => {
      const x = positions[p * 3];
      if (x > 3.2) return { 3: 1 };
      return x > 0.1 ? { 1: 1 } : { 0: 1 };
    }),
  );
  const body = { parts: [part], skeleton, rows: [rows] } as unknown as Body;
  const after = [copyRows(rows)];
  apply(after, (await cured(body, { locks: new Uint8Array(4) })).change);
  let strange = 0;
  for (let p = 0; p < part.pointCount; p++)
    if (positions[p * 3] < 3) strange += weightOf(after[0], p, 3) + weightOf(after[0], p, 2);
  expect(strange / part.pointCount).toBeLessThan(0.005);
});

describe('what weights do not cure', () => {
  /** Of a bend as good as weights make it: what it lacks. */
  async function lacksOf(body: Body): Promise<Cure['lacks'][number] | undefined> {
    const rows = body.rows.map(copyRows);
    apply(rows, (await cured(body)).change);
    return (await cured({ ...body, rows: [rows[0]] })).lacks[0];
  }
  const soft = (x: number): number => (x + 1.5) / 3;

  test('a mesh without rings at the bend: how far apart they are, and where', async () => {
    const lacks = await lacksOf(bentTube(soft, { rings: 5, around: 12 }));
    expect(lacks?.joint).toBe(1);
    expect(lacks?.rings?.every).toBeCloseTo(2, 1);
    expect(lacks?.rings?.radius).toBeGreaterThan(0.9);
    expect(lacks?.rings?.points.length).toBeGreaterThan(0);
    const fine = await lacksOf(bentTube(soft, { rings: 40, around: 12 }));
    expect(fine?.rings).toBeUndefined();
  });

  test('a joint beside the limb: the way to where it should be, and what it would be worth', async () => {
    const body = bentTube(soft, { rings: 40, around: 16 });
    const aside = {
      ...body,
      parts: [{ ...body.parts[0], positions: shifted(body.parts[0].positions, 2.5) }],
    };
    const place = (await lacksOf(aside))?.place;
    // The limb lies above it, and so does the better place.
    expect(place?.offset[1]).toBeGreaterThan(0.5);
    expect(Math.abs(place?.offset[2] ?? 1)).toBeLessThan(0.5 * (place?.offset[1] ?? 0));
    expect(place?.leaves).toBeLessThan(0.8);
    // Told is what is measured.
    const rows = aside.rows.map(copyRows);
    apply(rows, (await cured(aside)).change);
    const judge = bendJudge(await BendMeter.create({ ...aside, rows }), [RANGE]);
    const leaves = judge.damageOf(1, place?.offset) / judge.damageOf(1);
    expect(Math.abs(leaves - (place?.leaves ?? 0))).toBeLessThan(0.1);
    // In the middle it stands well.
    expect((await lacksOf(body))?.place).toBeUndefined();
  });

  const shifted = (positions: Float32Array, y: number): Float32Array =>
    positions.map((x, k) => (k % 3 === 1 ? x + y : x));
});

describe('by hand', () => {
  /** Three points over a hinge at the origin: the outer ones follow a joint each, the middle one is looked for. */
  const place = [-1, 1, 0, 0, 1, 0, 1, 1, 0];
  const skeleton = skeletonOf([
    ['a', -1, [0, 0, 0]],
    ['b', 0, [0, 0, 0]],
  ]);
  const part = partOf(
    'three',
    place,
    [0, 1, 2],
    [
      [0, 0, 0],
      [0, 0, 0],
    ],
  );
  const along = { offsets: Uint32Array.of(0, 1, 3, 4), points: Uint32Array.of(1, 0, 2, 1) };
  const settle = async (start: number, degrees: number, evenness: number): Promise<number> => {
    const rows = rowsFrom([{ 0: 1 }, { 0: 1 - start, 1: start }, { 1: 1 }]);
    const turn = rotationFromAngles([0, 0, degrees]);
    const pose = { 1: { rotation: turn, translation: [0, 0, 0], scale: [1, 1, 1] } } as const;
    const weights = await settleWeights(
      {
        ...{ positions: Float32Array.from(place), rest: Float32Array.from(place), rows, neighbours: along },
        inverseBinds: part.inverseBinds,
      },
      new PosedPalettes(skeleton, [pose]),
      {
        points: Uint32Array.of(1),
        joints: { offsets: Uint32Array.of(0, 2), joints: Uint16Array.of(0, 1) },
      },
      {
        ...{ limit: 2, locks: new Uint8Array(2), evenness, habit: 0, strangeness: 0 },
        parents: Int32Array.of(-1, 0),
        ...{ turned: Int32Array.of(1), elsewhere: new Float64Array(2) },
      },
      { all: 60, limited: 0 },
    );
    return weights[1];
  };

  test.each([20, 60, 90, -45])(
    'the place between two that turn by %s° follows both alike',
    async (degrees) => {
      expect(await settle(0.1, degrees, 0)).toBeCloseTo(0.5, 2);
      expect(await settle(0.3, degrees, 0)).toBeCloseTo(0.5, 2);
    },
  );

  test('drawn to the mean of its neighbours, it is there sooner', async () => {
    expect(await settle(0.1, 60, 100)).toBeCloseTo(0.5, 3);
  });
});

test('a point stands for those about it, each for one, and patches touch both ways', () => {
  const { positions, polygonOffsets, polygonPoints, pointCount } = hard.parts[0];
  const neighbours = findNeighbours({ offsets: polygonOffsets, points: polygonPoints }, pointCount);
  fc.assert(
    fc.property(
      fc.integer({ min: 1, max: 3 }),
      fc.double({ min: -3, max: 3, noNaN: true }),
      (rings, from) => {
        const points = Uint32Array.from({ length: pointCount }, (_, p) => p).filter(
          (p) => positions[p * 3] >= from,
        );
        const { seeds, standsFor, neighbours: about } = coarsen(neighbours, pointCount, points, rings);
        expect(seeds.length).toBeLessThan(points.length);
        for (let p = 0; p < pointCount; p++) expect(standsFor[p] >= 0).toBe(positions[p * 3] >= from);
        seeds.forEach((p, i) => expect(standsFor[p]).toBe(i));
        for (let i = 0; i < seeds.length; i++)
          for (const j of about.points.subarray(about.offsets[i], about.offsets[i + 1]))
            expect([...about.points.subarray(about.offsets[j], about.offsets[j + 1])]).toContain(i);
      },
    ),
    { numRuns: 30 },
  );
});
