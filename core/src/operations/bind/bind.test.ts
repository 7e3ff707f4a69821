import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { CoreError } from '../../errors.ts';
import { apply } from '../../weights/delta.ts';
import { influenceCount, rowSum, weightOf, type WeightRows } from '../../weights/rows.ts';
import { rowsFrom } from '../../testing/shapes.ts';
import { bindSkin } from './bind.ts';
import { BIND_METHODS, type BindRequest, type BindSkin } from './bindRequest.ts';
import { partOf, requestFor, skeletonOf, skinOf, tube, type TubeOptions } from '../../testing/testBody.ts';

type Place = [number, number, number];

/** Two bones end to end along x, from 0 to 8 and from 8 to 16, in a tube around them. */
function twoBones(options?: TubeOptions): BindSkin {
  const places: Place[] = [
    [0, 0, 0],
    [8, 0, 0],
    [16, 0, 0],
  ];
  const skeleton = skeletonOf([
    ['upper', -1, places[0]],
    ['lower', 0, places[1]],
    ['end', 1, places[2]],
  ]);
  const { positions, triangles } = tube(-0.5, 16.5, 0, 0, options);
  return skinOf(skeleton, [partOf('tube', positions, triangles, places)]);
}

async function bound(skin: BindSkin, more: Partial<BindRequest> = {}) {
  const rows = skin.rows.map((own) => ({ ...own, joints: own.joints.slice(), values: own.values.slice() }));
  const { change, report } = await bindSkin(skin, requestFor(skin, more));
  apply(rows, change);
  return { rows, report };
}

const withoutEnd = new Uint8Array([1, 1, 0]);

function expectWhole(rows: WeightRows, limit: number): void {
  for (let p = 0; p < rows.pointCount; p++) {
    expect(Math.abs(rowSum(rows, p) - 1)).toBeLessThanOrEqual(1e-6);
    expect(influenceCount(rows, p)).toBeLessThanOrEqual(limit);
  }
}

describe.each(BIND_METHODS)('%s', (method) => {
  test('on a tube about two bones, each half follows its bone and the joint’s ring follows both', async () => {
    const skin = twoBones();
    const { rows } = await bound(skin, { method, deforming: withoutEnd });
    expectWhole(rows[0], 4);
    for (let p = 0; p < 33 * 12; p++) {
      const x = skin.parts[0].positions[p * 3];
      const lower = weightOf(rows[0], p, 1);
      if (x < 5) expect(lower).toBe(0);
      if (x > 11) expect(lower).toBe(1);
      if (Math.abs(x - 8) < 0.01) expect(lower).toBeCloseTo(0.5, 1);
    }
  });

  test('weight rises along the tube and nowhere falls back', async () => {
    const skin = twoBones();
    const { rows } = await bound(skin, { method, deforming: withoutEnd });
    for (let ring = 1; ring < 33; ring++)
      expect(weightOf(rows[0], ring * 12, 1)).toBeGreaterThanOrEqual(
        weightOf(rows[0], (ring - 1) * 12, 1) - 1e-3,
      );
  });

  test('a mirrored body gets mirrored weights', async () => {
    const arms = (side: 1 | -1): BindSkin => {
      const places: Place[] = [
        [0, 0, 0],
        [side * 4, 0, 0],
        [side * 9, 0.5, 0],
      ];
      const skeleton = skeletonOf([
        ['chest', -1, places[0]],
        ['arm', 0, places[1]],
        ['hand', 1, places[2]],
      ]);
      const { positions, triangles } = tube(-1, 11, 0, 0, { around: 10, rings: 25 });
      const turned =
        side === 1 ? triangles : triangles.map((_, i) => triangles[i - (i % 3) + [0, 2, 1][i % 3]]);
      return skinOf(skeleton, [
        partOf(
          'arm',
          positions.map((x, i) => (i % 3 === 0 ? side * x : x)),
          turned,
          places,
        ),
      ]);
    };
    const [right, left] = [await bound(arms(1), { method }), await bound(arms(-1), { method })];
    for (let p = 0; p < right.rows[0].pointCount; p++)
      for (let joint = 0; joint < 3; joint++)
        expect(weightOf(left.rows[0], p, joint)).toBeCloseTo(weightOf(right.rows[0], p, joint), 2);
  });

  test('the order of joints does not matter', async () => {
    const skin = twoBones();
    const names = ['a', 'b', 'c'];
    const places: Place[] = [
      [0, 0, 0],
      [8, 1, 0],
      [8, -1, 0],
    ];
    const make = (order: readonly number[]): BindSkin => {
      const skeleton = skeletonOf(order.map((k, i) => [names[k], i === 0 ? -1 : 0, places[k]]));
      const { positions, triangles, ...rest } = skin.parts[0];
      return skinOf(skeleton, [
        {
          ...rest,
          ...partOf(
            'tube',
            [...positions],
            [...triangles],
            order.map((k) => places[k]),
          ),
        },
      ]);
    };
    const [one, other] = [await bound(make([0, 1, 2]), { method }), await bound(make([0, 2, 1]), { method })];
    const swap = [0, 2, 1];
    for (let p = 0; p < one.rows[0].pointCount; p++)
      for (let joint = 0; joint < 3; joint++)
        expect(weightOf(other.rows[0], p, swap[joint])).toBeCloseTo(weightOf(one.rows[0], p, joint), 3);
  });

  test('locked joints keep every bit, and points that are not asked for stay', async () => {
    await fc.assert(
      fc.asyncProperty(
        fc.array(fc.double({ min: 0, max: 1, noNaN: true }), { minLength: 4, maxLength: 4 }),
        fc.integer({ min: 1, max: 4 }),
        async (shares, limit) => {
          const skin = twoBones({ rings: 9, around: 6 });
          const { pointCount } = skin.parts[0];
          const rows = rowsFrom(
            Array.from({ length: pointCount }, (_, p) => {
              const share = Math.fround(shares[p % 4]);
              return { 0: share, 1: Math.fround(1 - share) };
            }),
          );
          const before = { ...rows, joints: rows.joints.slice(), values: rows.values.slice() };
          const chosen = Uint32Array.from({ length: pointCount }, (_, p) => p).filter((p) => p % 2 === 0);
          const after = await bound(
            { ...skin, rows: [rows] },
            { method, limit, locks: new Uint8Array([1, 0, 0]), points: new Map([[0, chosen]]) },
          );
          for (let p = 0; p < pointCount; p++) {
            expect(weightOf(after.rows[0], p, 0)).toBe(weightOf(before, p, 0));
            if (p % 2 === 1) expect(weightOf(after.rows[0], p, 1)).toBe(weightOf(before, p, 1));
          }
        },
      ),
      { numRuns: 6, seed: 7 },
    );
  });

  test('a tube torn open all along still gets every point bound', async () => {
    const skin = twoBones({ torn: (ring, a) => a === 3 || (ring % 7 === 2 && a === 8), capped: false });
    const { rows } = await bound(skin, { method, deforming: withoutEnd });
    expectWhole(rows[0], 4);
    expect(weightOf(rows[0], 0, 0)).toBe(1);
    expect(weightOf(rows[0], 32 * 12, 1)).toBe(1);
  });

  test('joints in one place, and a single joint, are bound without a gap', async () => {
    const places: Place[] = [
      [4, 0, 0],
      [4, 0, 0],
      [4, 0, 0],
    ];
    const { positions, triangles } = tube(0, 8, 0, 0, { rings: 9 });
    const many = skinOf(
      skeletonOf([
        ['a', -1, places[0]],
        ['b', 0, places[1]],
        ['c', 1, places[2]],
      ]),
      [partOf('tube', positions, triangles, places)],
    );
    expectWhole((await bound(many, { method })).rows[0], 4);
    const one = skinOf(skeletonOf([['only', -1, places[0]]]), [
      partOf('tube', positions, triangles, [places[0]]),
    ]);
    const { rows } = await bound(one, { method });
    for (let p = 0; p < rows[0].pointCount; p++) expect(weightOf(rows[0], p, 0)).toBe(1);
  });

  test('a body far from its skeleton is bound all the same', async () => {
    const skin = twoBones();
    const far = {
      ...skin.parts[0],
      positions: skin.parts[0].positions.map((x, i) => (i % 3 === 1 ? x + 500 : x)),
    };
    expectWhole((await bound({ ...skin, parts: [far] }, { method })).rows[0], 4);
  });
});

describe('what the methods differ in', () => {
  /** Two tubes side by side that touch; each has a bone of its own, and only their far ends hang together. */
  function twoLegs(): BindSkin {
    const places: Place[] = [
      [0, 0, 0],
      [2, 1.02, 0],
      [2, -1.02, 0],
      [14, 1.02, 0],
      [14, -1.02, 0],
    ];
    const skeleton = skeletonOf([
      ['hips', -1, places[0]],
      ['left', 0, places[1]],
      ['right', 0, places[2]],
      ['left end', 1, places[3]],
      ['right end', 2, places[4]],
    ]);
    const [a, b] = [tube(0, 15, 1.02, 0), tube(0, 15, -1.02, 0)];
    const shift = a.positions.length / 3;
    return skinOf(skeleton, [
      partOf(
        'legs',
        [...a.positions, ...b.positions],
        [...a.triangles, ...b.triangles.map((p) => p + shift)],
        places,
      ),
    ]);
  }

  test('through the volume, two legs that touch keep to their own bones', async () => {
    const skin = twoLegs();
    const { rows } = await bound(skin, { deforming: new Uint8Array([1, 1, 1, 0, 0]) });
    const { positions } = skin.parts[0];
    for (let p = 0; p < rows[0].pointCount; p++) {
      if (positions[p * 3] < 6) continue;
      const [own, other] = positions[p * 3 + 1] > 0 ? [1, 2] : [2, 1];
      expect(weightOf(rows[0], p, own)).toBeGreaterThan(0.95);
      expect(weightOf(rows[0], p, other)).toBeLessThan(0.05);
    }
  });

  test('heat tells where no bone is seen and falls back there', async () => {
    const skin = twoBones();
    const { positions, triangles } = tube(6, 7, 9, 0, { radius: 0.4, rings: 5, around: 8 });
    const places = [...skin.parts[0].source.jointOfSlot].map((joint): Place => [joint * 8, 0, 0]);
    const stray = partOf('button', positions, triangles, places);
    const both = {
      ...skin,
      parts: [...skin.parts, stray],
      rows: skinOf(skin.skeleton, [skin.parts[0], stray]).rows,
    };
    const { rows, report } = await bound(both, { method: 'heat', deforming: withoutEnd });
    expect(report.fallbacks).toHaveLength(1);
    expect(report.fallbacks[0]).toMatchObject({ part: 1, why: 'no-bone-seen' });
    expect(report.fallbacks[0].points).toHaveLength(stray.pointCount);
    expectWhole(rows[1], 4);
  });

  test('layers that touch get like weights', async () => {
    const inner = twoBones();
    const { positions, triangles } = tube(-0.5, 16.5, 0, 0, { radius: 1.05, capped: false });
    const places: Place[] = [
      [0, 0, 0],
      [8, 0, 0],
      [16, 0, 0],
    ];
    const sleeve = partOf('sleeve', positions, triangles, places);
    const skin = skinOf(inner.skeleton, [inner.parts[0], sleeve]);
    const { rows } = await bound(skin, { deforming: withoutEnd });
    for (let p = 0; p < sleeve.pointCount; p++)
      expect(Math.abs(weightOf(rows[1], p, 1) - weightOf(rows[0], p, 1))).toBeLessThan(0.08);
  });
});

describe('refusals and stopping', () => {
  const none = skinOf({ joints: [] }, []);
  test.each<[string, BindSkin, Partial<BindRequest>, string]>([
    ['no joints', none, {}, 'bind-impossible'],
    ['no joint that deforms', twoBones(), { deforming: new Uint8Array(3) }, 'bind-impossible'],
    ['no part', twoBones(), { parts: [] }, 'bind-impossible'],
    ['a softness of nothing', twoBones(), { softness: 0 }, 'argument-invalid'],
    ['nine influences', twoBones(), { limit: 9 }, 'argument-invalid'],
  ])('%s is refused with a sentence', async (_, skin, more, code) => {
    await expect(bindSkin(skin, requestFor(skin, more))).rejects.toMatchObject({ code });
  });

  test('a mesh without size is refused', async () => {
    const skin = twoBones();
    const flat = { ...skin.parts[0], positions: new Float32Array(skin.parts[0].positions.length) };
    const point = { ...skin, parts: [flat] };
    await expect(bindSkin(point, requestFor(point))).rejects.toMatchObject({ code: 'bind-impossible' });
  });

  test.each(BIND_METHODS)('%s can be stopped at any report, and changes nothing', async (method) => {
    const skin = twoBones();
    let reports = 0;
    await bindSkin(skin, requestFor(skin, { method }), () => reports++);
    for (let stopAt = 0; stopAt < reports; stopAt += Math.max(1, Math.floor(reports / 5))) {
      let seen = 0;
      const stopping = bindSkin(skin, requestFor(skin, { method }), () => {
        if (seen++ === stopAt) throw new CoreError('stopped', 'Stopped.');
      });
      await expect(stopping).rejects.toMatchObject({ code: 'stopped' });
      expect(skin.rows[0].values.every((value) => value === 0)).toBe(true);
    }
  });
});
