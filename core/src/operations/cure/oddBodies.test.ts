import { describe, expect, test } from '@jest/globals';
import { bendJudge } from '../../analysis/bends/bendJudge.ts';
import { BendMeter } from '../../analysis/bends/bendMeter.ts';
import type { MotionRange } from '../../animation/motionRange.ts';
import { rangePoses } from '../../animation/motionRange.ts';
import { PartLook } from '../../deform/PartLook.ts';
import { DEFAULT_RELAXING } from '../../deform/SurfaceRelaxer.ts';
import { findNeighbours } from '../../mesh/topology.ts';
import { computeNormals, normalizeAll } from '../../mesh/normals.ts';
import { grid, rowsFrom } from '../../testing/shapes.ts';
import { partOf, skeletonOf } from '../../testing/testBody.ts';
import { apply } from '../../weights/delta.ts';
import { copyRows, influenceCount, rowSum, type WeightRows } from '../../weights/rows.ts';
import { bakeLook } from './bakeLook.ts';
import { type Cure, cureBends, type CureRequest } from './cureBends.ts';

const PLACES = [
  [-3, 0, 0],
  [0, 0, 0],
] as const;
const SKELETON = skeletonOf([
  ['upper', -1, PLACES[0]],
  ['lower', 0, PLACES[1]],
]);
const RANGE: MotionRange = {
  joint: 1,
  kind: 'hinge',
  axes: { bend: [0, 0, 1], side: [0, 1, 0], twist: [1, 0, 0] },
  limits: { bend: [-60, 60], side: [0, 0], twist: [0, 0] },
};
const STIFF: MotionRange = { ...RANGE, limits: { bend: [0, 0], side: [0, 0], twist: [0, 0] } };
const REQUEST: CureRequest = { joints: [1], limit: 4, locks: new Uint8Array(2) };

function body(positions: ArrayLike<number>, triangles: ArrayLike<number>, share: (x: number) => number) {
  const part = partOf('odd', Array.from(positions), Array.from(triangles), PLACES);
  const normals = computeNormals(part.positions, part.triangles);
  normalizeAll(normals);
  const rows = rowsFrom(
    Array.from({ length: part.pointCount }, (_, p) => {
      const own = Math.min(1, Math.max(0, share(part.positions[p * 3])));
      return Object.fromEntries([1 - own, own].map((w, joint) => [joint, w]).filter(([, w]) => w > 0));
    }),
  );
  return { parts: [{ ...part, normals }], skeleton: SKELETON, rows: [rows] };
}
type Body = ReturnType<typeof body>;

const triangle = body([-1, 0, 0, 1, 0, 0, 0, 1, 0], [0, 1, 2], (x) => 0.5 + x / 2);
const sheet = ((): Body => {
  const { positions, triangles } = grid(24, 4);
  return body(
    positions.map((x, k) => x - [12, 2, 0][k % 3]),
    triangles,
    (x) => (x > 0.2 ? 1 : 0),
  );
})();

async function cured(subject: Body, request: Partial<CureRequest> = {}, range = RANGE): Promise<Cure> {
  const judge = bendJudge(await BendMeter.create(subject), [range]);
  return cureBends(subject, [range], judge, { ...REQUEST, ...request });
}

async function baked(subject: Body, limit = 4, locks = new Uint8Array(2)) {
  const [part] = subject.parts;
  const look = await PartLook.create(subject, 0, {
    skinning: 'linear',
    relaxing: DEFAULT_RELAXING,
  });
  const { positions, inverseBinds, polygonOffsets: offsets, polygonPoints: points, pointCount } = part;
  return bakeLook(
    0,
    {
      ...{ positions, inverseBinds, skeleton: SKELETON, rows: subject.rows[0] },
      neighbours: findNeighbours({ offsets, points }, pointCount),
    },
    rangePoses(RANGE).map(({ pose }) => pose),
    (pose) => look.at(pose).positions,
    { limit, locks },
  );
}

function expectSound(rows: WeightRows, limit: number): void {
  for (let p = 0; p < rows.pointCount; p++) {
    expect(Math.abs(rowSum(rows, p) - 1)).toBeLessThan(1e-6);
    expect(influenceCount(rows, p)).toBeLessThanOrEqual(limit);
  }
}

describe.each([
  ['a single triangle', triangle],
  ['a flat sheet, bent in its plane', sheet],
])('%s', (_name, subject) => {
  test('is cured or left, its weights sound and no bend worse', async () => {
    const { change, joints } = await cured(subject);
    const rows = subject.rows.map(copyRows);
    apply(rows, change);
    expectSound(rows[0], 4);
    for (const { before, after } of joints) expect(after).toBeLessThanOrEqual(1.02 * before + 1e-9);
  });

  test('is baked, its weights sound', async () => {
    for (const limit of [1, 4]) {
      const { delta, after } = await baked(subject, limit);
      const rows = copyRows(subject.rows[0]);
      apply([rows], [delta]);
      if (limit === 4) expectSound(rows, 4);
      for (const p of delta.points) expect(influenceCount(rows, p)).toBeLessThanOrEqual(limit);
      expect(Number.isFinite(after.rms)).toBe(true);
    }
  });

  test('with everything locked it stays as it is', async () => {
    const locks = Uint8Array.of(1, 1);
    expect((await cured(subject, { locks })).change).toEqual([]);
    expect((await baked(subject, 4, locks)).delta.points).toHaveLength(0);
  });

  test('its joint without a range changes nothing', async () => {
    expect((await cured(subject, {}, STIFF)).change).toEqual([]);
  });
});

test('a sheet that is bent hard is cured', async () => {
  const { joints } = await cured(sheet);
  expect(joints[0].after).toBeLessThan(0.6 * joints[0].before);
});

test('a joint that bends nothing is refused in a sentence', async () => {
  const still = body([-1, 0, 0, 1, 0, 0, 0, 1, 0], [0, 1, 2], () => 0);
  await expect(cured(still)).rejects.toThrow(/choose a joint that bends a surface/);
});
