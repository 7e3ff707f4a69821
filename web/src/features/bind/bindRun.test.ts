import { describe, expect, test } from '@jest/globals';
import type { BindRequest } from '@judoka/core/operations/bind';
import { rowSum, weightOf } from '@judoka/core/weights';
import {
  ARM_L,
  BODY,
  CHEST,
  HAND_L,
  HAND_R,
  openForEach,
  RINGS,
  AROUND,
  weightsOf,
} from '../../testing/testWorkspace.ts';
import type { Workspace } from '../../workspace/Workspace.ts';
import { runBind } from './bindRun.ts';

let at: Workspace;
openForEach((opened) => ({ at } = opened), { workers: true });

const request = (more: Partial<BindRequest> = {}): BindRequest => ({
  method: 'nearest',
  parts: [BODY],
  deforming: new Uint8Array(5).fill(1),
  softness: 0.25,
  limit: 4,
  locks: at.document.locks.slice(),
  // Coarse: the tests' surroundings make numbers slow.
  cells: 3000,
  ...more,
});
const bind = (more: Partial<BindRequest> = {}, tell: (share: number) => void = () => undefined) => {
  const { character, skeleton } = at.document;
  const rows = at.document.copyRows();
  return runBind(
    { parts: character.parts, skeleton, rows },
    request(more),
    tell,
    new AbortController().signal,
  );
};
const weight = (point: number, joint: number): number =>
  weightOf(at.scene.parts[BODY].skin.rows, point, joint);

describe('a binding in a thread of its own', () => {
  test.each(['nearest', 'heat', 'volume'] as const)(
    'by %s: every point is bound, each end to its own hand',
    async (method) => {
      const before = weightsOf(at);
      const { change, report } = await bind({ method });
      expect(weightsOf(at)).toEqual(before);
      expect(report).toMatchObject({ method, asked: RINGS * AROUND, held: 0 });
      await at.document.perform('Bind', { weights: change });
      const { rows } = at.scene.parts[BODY].skin;
      for (let p = 0; p < RINGS * AROUND; p++) expect(rowSum(rows, p)).toBeCloseTo(1, 5);
      for (let p = 0; p < AROUND; p++) {
        expect(weight((RINGS - 1) * AROUND + p, HAND_L)).toBeGreaterThan(0.9);
        expect(weight(p, HAND_R)).toBeGreaterThan(0.9);
        expect(weight(p, HAND_L)).toBe(0);
      }
      expect(weight(12 * AROUND, CHEST)).toBeGreaterThan(0.9);
    },
  );

  test('only what is asked for changes, and only joints that deform get weight', async () => {
    const points = new Map([[BODY, Uint32Array.from({ length: AROUND }, (_, p) => 16 * AROUND + p)]]);
    const deforming = Uint8Array.of(1, 0, 1, 1, 1);
    const { change } = await bind({ points, deforming });
    expect(change.map(({ points: list }) => [...list])).toEqual([[...(points.get(BODY) ?? [])]]);
    await at.document.perform('Bind', { weights: change });
    for (let p = 0; p < AROUND; p++) expect(weight(16 * AROUND + p, ARM_L)).toBe(0);
  });

  test('locked joints keep what they have', async () => {
    const locks = at.document.locks.slice();
    locks[ARM_L] = 1;
    const held = Array.from({ length: RINGS * AROUND }, (_, p) => weight(p, ARM_L));
    const { change } = await bind({ method: 'volume', locks });
    await at.document.perform('Bind', { weights: change });
    expect(Array.from({ length: RINGS * AROUND }, (_, p) => weight(p, ARM_L))).toEqual(held);
  });

  test('what cannot be bound is refused in core’s own sentence', async () => {
    await expect(bind({ deforming: new Uint8Array(5) })).rejects.toThrow(/No joint may deform/);
    await expect(bind({ parts: [] })).rejects.toThrow(/at least one part/);
    await expect(bind({ softness: 0 })).rejects.toThrow(/Falloff/);
  });

  test('stopped, it ends at once and changes nothing', async () => {
    const stop = new AbortController();
    const { character, skeleton } = at.document;
    const before = weightsOf(at);
    const run = runBind(
      { parts: character.parts, skeleton, rows: at.document.copyRows() },
      request({ method: 'volume' }),
      () => undefined,
      stop.signal,
    );
    stop.abort();
    await expect(run).rejects.toMatchObject({ name: 'AbortError' });
    expect(weightsOf(at)).toEqual(before);
  });
});
