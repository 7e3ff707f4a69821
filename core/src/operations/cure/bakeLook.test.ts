import { describe, expect, test } from '@jest/globals';
import { PartLook } from '../../deform/PartLook.ts';
import { DEFAULT_RELAXING } from '../../deform/SurfaceRelaxer.ts';
import { findNeighbours } from '../../mesh/topology.ts';
import { type Pose, rotationFromAngles } from '../../skeleton/pose.ts';
import { bentTube } from '../../testing/testTube.ts';
import { apply } from '../../weights/delta.ts';
import { copyRows, influenceCount, rowSum, weightOf } from '../../weights/rows.ts';
import { type Bake, bakeLook } from './bakeLook.ts';

type Body = ReturnType<typeof bentTube>;

const POSES = [
  [0, 0, 70],
  [0, 60, 0],
  [80, 0, 0],
  [30, -40, -50],
].map((angles): Pose => ({
  1: {
    rotation: rotationFromAngles(angles as [number, number, number]),
    translation: [0, 0, 0],
    scale: [1, 1, 1],
  },
}));

const smooth = bentTube((x) => 0.5 + x / 2);
const hard = bentTube((x) => (x > 0.1 ? 1 : 0));

function bake(body: Body, look: PartLook, locks = new Uint8Array(2), limit = 4): Promise<Bake> {
  const {
    positions,
    inverseBinds,
    polygonOffsets: offsets,
    polygonPoints: points,
    pointCount,
  } = body.parts[0];
  return bakeLook(
    0,
    {
      ...{ positions, inverseBinds, skeleton: body.skeleton, rows: body.rows[0] },
      neighbours: findNeighbours({ offsets, points }, pointCount),
    },
    POSES,
    (pose) => look.at(pose).positions,
    { limit, locks },
  );
}

const lookOf = (body: Body, relaxed: boolean): Promise<PartLook> =>
  PartLook.create(body, 0, {
    skinning: 'linear',
    ...(relaxed && { relaxing: DEFAULT_RELAXING }),
  });

test('weights are found again from the shapes that they make', async () => {
  const { delta, after } = await bake(hard, await lookOf(smooth, false));
  const rows = copyRows(hard.rows[0]);
  apply([rows], [delta]);
  for (let p = 0; p < rows.pointCount; p++) {
    // On the joint's axis every weight makes the same shape in some poses, and in the middle in all.
    const { positions } = hard.parts[0];
    if (Math.hypot(positions[p * 3 + 1], positions[p * 3 + 2]) < 0.1) continue;
    expect(Math.abs(weightOf(rows, p, 1) - weightOf(smooth.rows[0], p, 1))).toBeLessThan(1e-3);
  }
  expect(after.greatest).toBeLessThan(5e-3);
});

describe('a relaxed look', () => {
  test('is nearer afterwards, within the limit; told is what is measured', async () => {
    const look = await lookOf(hard, true);
    const { delta, before, after, unlimited } = await bake(hard, look);
    expect(after.rms).toBeLessThan(0.7 * before.rms);
    expect(after.rms).toBeLessThanOrEqual(1.05 * unlimited + 1e-6);
    const rows = copyRows(hard.rows[0]);
    apply([rows], [delta]);
    const baked = await PartLook.create({ ...hard, rows: [rows] }, 0, { skinning: 'linear' });
    let squares = 0;
    let greatest = 0;
    for (const pose of POSES) {
      const wanted = look.at(pose).positions.slice();
      const have = baked.at(pose).positions;
      for (let p = 0; p < rows.pointCount; p++) {
        const far = Math.hypot(...[0, 1, 2].map((k) => wanted[p * 3 + k] - have[p * 3 + k]));
        squares += far * far;
        greatest = Math.max(greatest, far);
        expect(Math.abs(rowSum(rows, p) - 1)).toBeLessThan(1e-6);
      }
    }
    expect(Math.sqrt(squares / (POSES.length * rows.pointCount))).toBeCloseTo(after.rms, 4);
    expect(greatest).toBeCloseTo(after.greatest, 3);
  });

  test('of what is plain already changes nothing to speak of', async () => {
    const { delta, before, after } = await bake(smooth, await lookOf(smooth, false));
    expect(before.greatest).toBeLessThan(1e-4);
    expect(after.greatest).toBeLessThan(1e-3);
    const rows = copyRows(smooth.rows[0]);
    apply([rows], [delta]);
    rows.values.forEach((w, k) => expect(Math.abs(w - smooth.rows[0].values[k])).toBeLessThan(1e-3));
  });

  test('locked joints keep theirs; a limit of one leaves one', async () => {
    const look = await lookOf(hard, true);
    expect((await bake(hard, look, Uint8Array.of(0, 1))).delta.points).toHaveLength(0);
    const { delta } = await bake(hard, look, undefined, 1);
    const rows = copyRows(hard.rows[0]);
    apply([rows], [delta]);
    for (let p = 0; p < rows.pointCount; p++) expect(influenceCount(rows, p)).toBe(1);
  });
});
