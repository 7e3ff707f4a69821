import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { grid, rowsFrom } from '../../testing/shapes.ts';
import { recoverQuads } from '../../mesh/quads.ts';
import { findNeighbours } from '../../mesh/topology.ts';
import { apply, copyRow, invert } from '../../weights/delta.ts';
import { createRowsIn, influenceCount, rowSum, weightOf, type WeightRows } from '../../weights/rows.ts';
import { falloffAt, FALLOFFS } from '../../math/falloff.ts';
import { createFootprintWorkspace, gatherFootprint } from './brushFootprint.ts';
import { createPaintWorkspace, Stroke, type BrushSettings } from './stroke.ts';
import { createKernelMemory } from '../../memory/wasmMemory.ts';

const SIDE = 8;
const POINTS = (SIDE + 1) ** 2;
const { positions, triangles } = grid(SIDE, SIDE);

async function easel(initial: (point: number) => Record<number, number>) {
  const memory = await createKernelMemory(4 << 20);
  const found = findNeighbours(recoverQuads(triangles, positions), POINTS);
  const neighbours = { offsets: memory.u32(found.offsets.length), points: memory.u32(found.points.length) };
  neighbours.offsets.set(found.offsets);
  neighbours.points.set(found.points);
  const rows = createRowsIn(memory, POINTS, 8);
  const source = rowsFrom(Array.from({ length: POINTS }, (_, p) => initial(p)));
  for (let p = 0; p < POINTS; p++) copyRow(source, p, rows, p);
  return {
    rows,
    locks: memory.u8(8),
    workspace: createPaintWorkspace(memory, POINTS, 8, neighbours),
    footprint: createFootprintWorkspace(POINTS),
    neighbours,
  };
}

const brush = (settings: Partial<BrushSettings>): BrushSettings => ({
  tool: 'add',
  joint: 1,
  strength: 0.5,
  value: 1,
  allInfluences: false,
  limit: 4,
  ...settings,
});

const copyOf = (rows: WeightRows): WeightRows => ({
  ...rows,
  joints: rows.joints.slice(),
  values: rows.values.slice(),
});

describe('falloff', () => {
  test.each(FALLOFFS)('%s falls from one to nothing and never rises', (falloff) => {
    expect(falloffAt(falloff, 0)).toBe(1);
    expect(falloffAt(falloff, 1)).toBe(0);
    for (let t = 0; t < 1; t += 0.05)
      expect(falloffAt(falloff, t)).toBeGreaterThanOrEqual(falloffAt(falloff, t + 0.05));
  });
});

test('a falloff of one’s own goes through its steps and stays within 0 and 1', () => {
  const curve = [1, 0.2, 0.9, 0.1, 0];
  curve.slice(0, 4).forEach((value, i) => expect(falloffAt(curve, i / 4)).toBeCloseTo(value, 9));
  expect(falloffAt(curve, 1)).toBe(0);
  for (let t = 0; t < 1; t += 0.01) {
    expect(falloffAt(curve, t)).toBeGreaterThanOrEqual(0);
    expect(falloffAt(curve, t)).toBeLessThanOrEqual(1);
  }
});

describe('footprint', () => {
  test('takes the points within the radius, with their falloff', async () => {
    const { workspace, footprint, neighbours } = await easel(() => ({ 0: 1 }));
    const tip = { centre: [4, 4, 0] as const, radius: 1.5, falloff: 'linear' as const };
    const count = gatherFootprint(
      positions,
      neighbours,
      [40],
      tip,
      footprint,
      workspace.points,
      workspace.amounts,
    );
    const found = new Map([...workspace.points.subarray(0, count)].map((p, i) => [p, workspace.amounts[i]]));
    expect(found.size).toBe(9);
    expect(found.get(40)).toBe(1);
    expect(found.get(41)).toBeCloseTo(1 - 1 / 1.5, 6);
    expect(found.get(50)).toBeCloseTo(1 - Math.SQRT2 / 1.5, 6);
  });

  test('does not jump to a piece that is near but not joined', async () => {
    const { workspace, footprint } = await easel(() => ({ 0: 1 }));
    //  two edges, a hair apart: 0–1 and 2–3
    const places = Float32Array.from([0, 0, 0, 1, 0, 0, 0, 0, 0.01, 1, 0, 0.01]);
    const apart = { offsets: Uint32Array.from([0, 1, 2, 3, 4]), points: Uint32Array.from([1, 0, 3, 2]) };
    const tip = { centre: [0, 0, 0] as const, radius: 5, falloff: 'flat' as const };
    const count = gatherFootprint(places, apart, [0], tip, footprint, workspace.points, workspace.amounts);
    expect([...workspace.points.subarray(0, count)].sort()).toEqual([0, 1]);
  });
});

async function strokeAt(
  settings: Partial<BrushSettings>,
  initial: (p: number) => Record<number, number>,
  dabs = 1,
  locked: number[] = [],
) {
  const set = await easel(initial);
  for (const joint of locked) set.locks[joint] = 1;
  const before = copyOf(set.rows);
  const stroke = new Stroke(0, set.rows, set.workspace, brush(settings), set.locks);
  for (let i = 0; i < dabs; i++) {
    const tip = { centre: [4, 4, 0] as const, radius: 2.2, falloff: 'smooth' as const };
    const { points, amounts } = set.workspace;
    stroke.dab(gatherFootprint(positions, set.neighbours, [40], tip, set.footprint, points, amounts));
  }
  return { ...set, before, ...stroke.finish() };
}

describe('strokes', () => {
  test('Add gives strength times falloff, the other makes room', async () => {
    const { rows } = await strokeAt({ tool: 'add', strength: 0.4 }, () => ({ 0: 1 }));
    expect(weightOf(rows, 40, 1)).toBeCloseTo(0.4, 6);
    expect(weightOf(rows, 40, 0)).toBeCloseTo(0.6, 6);
    expect(weightOf(rows, 0, 1)).toBe(0);
  });

  test('Take away frees weight to the others in proportion', async () => {
    const { rows } = await strokeAt({ tool: 'take', strength: 0.3 }, () => ({ 0: 0.2, 1: 0.6, 2: 0.2 }));
    expect(weightOf(rows, 40, 1)).toBeCloseTo(0.3, 6);
    expect(weightOf(rows, 40, 0)).toBeCloseTo(0.35, 6);
    expect(weightOf(rows, 40, 2)).toBeCloseTo(0.35, 6);
  });

  test('Set goes to the value', async () => {
    const { rows } = await strokeAt({ tool: 'set', strength: 1, value: 0.7 }, () => ({ 0: 1 }));
    expect(weightOf(rows, 40, 1)).toBeCloseTo(0.7, 6);
  });

  test('Smooth moves a peak toward its neighbours', async () => {
    const peak = (p: number): Record<number, number> => (p === 40 ? { 1: 1 } : { 0: 1 });
    const { rows } = await strokeAt({ tool: 'smooth', strength: 1 }, peak);
    expect(weightOf(rows, 40, 1)).toBeLessThan(0.3);
    expect(weightOf(rows, 41, 1)).toBeGreaterThan(0.1);
    const all = await strokeAt({ tool: 'smooth', strength: 1, allInfluences: true }, peak);
    expect(weightOf(all.rows, 40, 1)).toBe(0);
  });

  test('points without another influence keep their weight and are counted', async () => {
    const { delta, report } = await strokeAt({ tool: 'take' }, () => ({ 1: 1 }), 3);
    expect(delta.points).toHaveLength(0);
    expect(report.noReceiver).toBe(13);
  });

  test('Smooth brings in what the neighbours have at points that follow one joint alone', async () => {
    // A hard step: the left of the middle follows joint 1 alone, the rest joint 0.
    const step = (p: number): Record<number, number> => (p % (SIDE + 1) < 5 ? { 1: 1 } : { 0: 1 });
    const { rows, report } = await strokeAt({ tool: 'smooth', strength: 1 }, step);
    expect(report.noReceiver).toBe(0);
    // One of its four neighbours is on the other side.
    expect(weightOf(rows, 40, 1)).toBeCloseTo(0.75, 5);
    expect(weightOf(rows, 40, 0)).toBeCloseTo(0.25, 5);
    const locked = await strokeAt({ tool: 'smooth', strength: 1 }, step, 1, [0]);
    expect(weightOf(locked.rows, 40, 1)).toBe(1);
    expect(locked.report.noReceiver).toBeGreaterThan(0);
  });

  test('a locked joint cannot be painted', async () => {
    const { rows, workspace, locks } = await easel(() => ({ 0: 1 }));
    locks[1] = 1;
    expect(() => new Stroke(0, rows, workspace, brush({}), locks)).toThrow(
      expect.objectContaining({ code: 'joint-locked' }),
    );
  });

  test('any stroke: sums one, locks to the bit, limit kept, and its inverse restores every bit', async () => {
    await fc.assert(
      fc.asyncProperty(
        fc.constantFrom('add', 'take', 'set', 'smooth' as const),
        fc.boolean(),
        fc.integer({ min: 1, max: 6 }),
        fc.double({ min: 0.01, max: 1, noNaN: true }),
        async (tool, allInfluences, dabs, strength) => {
          const initial = (p: number): Record<number, number> =>
            p % 3 === 0
              ? { 0: 0.5, 1: 0.25, 2: 0.25 }
              : p % 3 === 1
                ? { 1: 0.5, 2: 0.5 }
                : { 3: 0.75, 2: 0.25 };
          const settings = { tool: tool as BrushSettings['tool'], allInfluences, strength };
          const { rows, before, delta } = await strokeAt(settings, initial, dabs, [2]);
          for (let p = 0; p < POINTS; p++) {
            expect(Math.abs(rowSum(rows, p) - 1)).toBeLessThan(1e-6);
            expect(weightOf(rows, p, 2)).toBe(weightOf(before, p, 2));
            expect(influenceCount(rows, p)).toBeLessThanOrEqual(4);
          }
          for (let i = 1; i < delta.points.length; i++)
            expect(delta.points[i]).toBeGreaterThan(delta.points[i - 1]);
          apply([rows], invert([delta]));
          expect(rows.values).toEqual(before.values);
          expect(rows.joints).toEqual(before.joints);
        },
      ),
      { numRuns: 40 },
    );
  });
});
