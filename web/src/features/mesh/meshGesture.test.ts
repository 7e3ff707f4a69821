import { beforeEach, describe, expect, test } from '@jest/globals';
import { FILE_SHAPES, readMoved } from '@judoka/core/document';
import { weightOf } from '@judoka/core/weights';
import type { MeshMode } from '../../settings/uiSettings.ts';
import { drag, pointer, TestStage } from '../../testing/testStage.ts';
import {
  ARM_L,
  AROUND,
  BODY,
  doneLabels,
  openForEach,
  ringAt,
  ringPoints,
  turned,
  until,
} from '../../testing/testWorkspace.ts';
import type { Workspace } from '../../workspace/Workspace.ts';
import { meshGesture } from './meshGesture.ts';

let at: Workspace;
let stage: TestStage;
let told: string[];
let mirrored: Workspace | undefined;
openForEach((opened) => ({ at } = opened));

beforeEach(() => {
  stage = new TestStage(at);
  told = [];
  mirrored = undefined;
  at.document.notify = (sentence) => void told.push(sentence);
});

const body = () => at.scene.parts[BODY];
const place = (p: number): number[] => [...body().skin.positions.subarray(p * 3, p * 3 + 3)];
const rest = (p: number): number[] => [...body().skin.rest.subarray(p * 3, p * 3 + 3)];
const own = (p: number): number[] => [...body().part.positions.subarray(p * 3, p * 3 + 3)];
const moved = () => readMoved(at.document.settings.moved[BODY] ?? {});
/** A point of the front, on the left arm. */
const FRONT = 18 * AROUND + 1;

/** A press with a mode at a place of the scene, dragged by so much. */
function press(mode: MeshMode, [x, y, z]: readonly number[], by: readonly number[] = [0, 0, 0]): void {
  stage.settings = { ...stage.settings, tool: 'mesh', meshMode: mode, strength: 1, depth: 'surface' };
  const [from, to] = [stage.spotOf(x, y, z), stage.spotOf(x + by[0], y + by[1], z + by[2])];
  const hit = stage.sight.pick(from.x, from.y);
  if (!hit) throw new Error('It began beside the body.');
  const gesture = meshGesture({ ...stage.context, at: mirrored ?? at }, hit, from, pointer({}));
  if (gesture) drag(gesture, [to]);
}

describe('moving points at rest', () => {
  test('a drag puts points elsewhere for every pose, as one edit; undone, all is as it came', async () => {
    const before = own(FRONT);
    const size = at.document.size;
    press('drag', place(FRONT), [0, 0.5, 0]);
    expect(doneLabels(at).at(-1)).toBe('Mesh: drag');
    expect(rest(FRONT)[1]).toBeCloseTo(before[1] + 0.5, 1);
    // What the document says and what is seen are the same numbers, for everybody who asks.
    expect(own(FRONT)).toEqual(rest(FRONT));
    expect(at.document.character.parts[BODY].positions).toBe(body().part.positions);
    expect([...moved().points]).toContain(FRONT);
    expect(at.document.size).toBe(size);
    await at.document.undo();
    expect(own(FRONT)).toEqual(before);
    expect(rest(FRONT)).toEqual(before);
    expect(at.document.values).toEqual({});
    await at.document.redo();
    expect(own(FRONT)[1]).toBeCloseTo(before[1] + 0.5, 1);
  });

  test('in a bend the surface goes with the hand', () => {
    at.scene.setPose(turned({ [ARM_L]: ['z', 60] }));
    at.document.settle();
    const before = place(FRONT);
    press('drag', before, [0.2, 0.3, 0]);
    const now = place(FRONT);
    [0.2, 0.3, 0].forEach((by, k) => expect(now[k] - before[k]).toBeCloseTo(by, 1));
    expect(Math.hypot(...rest(FRONT).map((x, k) => x - own(FRONT)[k]))).toBe(0);
  });

  test('a selection is all that is moved, and what is taken by one of its points goes as a whole', () => {
    const ring = ringPoints(18);
    at.scene.selection.choosePoints(new Map([[BODY, ring]]), 'replace');
    press('drag', place(FRONT), [0, 0.3, 0]);
    expect([...moved().points].sort((a, b) => a - b)).toEqual([...ring]);
    for (const p of ring)
      expect(rest(p)[1]).toBeCloseTo(0.4 * Math.cos((2 * Math.PI * (p % AROUND)) / AROUND) + 0.3, 2);
    press('out', place(FRONT));
    expect(moved().points).toHaveLength(ring.length);
  });

  test('mirrored, both sides go alike and the middle stays in the middle', () => {
    const count = body().part.pointCount;
    const all = Array.from({ length: count }, (_, p) => p);
    const pairs = Int32Array.from(all, (p) => (24 - Math.floor(p / AROUND)) * AROUND + (p % AROUND));
    const mirroring = { live: true, space: { firstPoint: Uint32Array.of(0, count, count + 8) }, pairs };
    mirrored = Object.create(at, { mirroring: { value: mirroring } }) as Workspace;
    press('drag', place(FRONT), [0.1, 0.4, 0]);
    const other = pairs[FRONT];
    expect(rest(other)[0]).toBeCloseTo(-rest(FRONT)[0], 5);
    expect(rest(other)[1]).toBeCloseTo(rest(FRONT)[1], 5);
    expect(rest(other)[1]).toBeGreaterThan(own(FRONT)[1] - 1);
    const middle = 12 * AROUND + 1;
    press('drag', place(middle), [0.2, 0.2, 0]);
    expect(rest(middle)[0]).toBeCloseTo(0, 5);
    expect(rest(middle)[1]).toBeGreaterThan(0.4);
    for (const p of all) expect(rest(pairs[p])[0]).toBeCloseTo(-rest(p)[0], 5);
  });

  test('flatten and even bring the surface nearer to a plane', () => {
    press('out', place(FRONT));
    const lifted = rest(FRONT)[2];
    press('even', place(FRONT));
    expect(rest(FRONT)[2]).toBeLessThan(lifted);
    expect(doneLabels(at).slice(-2)).toEqual(['Mesh: out', 'Mesh: even']);
  });
});

describe('edges and points', () => {
  /** On the edge of the front that leads along the tube from a ring. */
  const along = (ring: number, share: number): number[] => {
    const [a, b] = [ring * AROUND + 1, (ring + 1) * AROUND + 1].map(place);
    return a.map((x, k) => (1 - share) * x + share * b[k]);
  };
  const settled = (): Promise<void> => until('it is done', () => at.document.writer.holder === undefined);

  test('a loop is put where the edge is pressed, with weights from between; the next waits until it is laid out', async () => {
    press('loop', along(18, 0.3));
    await settled();
    const change = at.document.settings.meshes[BODY];
    expect(change?.points).toBe((change?.from ?? 0) + AROUND);
    expect(doneLabels(at).at(-1)).toBe(`Loop of ${AROUND} points`);
    const [[, , share]] = change?.vertices ?? [];
    expect(Math.min(share, 1 - share)).toBeCloseTo(0.3, 1);
    expect(at.document.isLaidOut).toBe(false);
    press('loop', along(16, 0.5));
    expect(told.at(-1)).toMatch(/laid out anew once the last change/);
    await at.document.undo();
    expect(at.document.settings.meshes[BODY]).toBeUndefined();
  });

  test('opened again, the loop is there, with the weights that lie between', async () => {
    press('loop', along(18, 0.25));
    await settled();
    const change = at.document.settings.meshes[BODY];
    const { withPoints } = await import('@judoka/core/document');
    const laid = withPoints(at.document.character, { ...FILE_SHAPES, meshes: { [BODY]: change } });
    expect(laid.parts[BODY].pointCount).toBe(change?.points);
    const [x] = laid.parts[BODY].positions.subarray((change?.from ?? 0) * 3);
    expect(x).toBeGreaterThan(ringAt(18));
    expect(x).toBeLessThan(ringAt(19));
    expect(weightOf(at.document.rowsOfPart()[BODY], FRONT, ARM_L)).toBeGreaterThan(0);
  });

  test('a point is put on an edge, an edge turned, a point taken out', async () => {
    press('point', along(18, 0.5));
    await settled();
    expect(doneLabels(at).at(-1)).toBe('Point on an edge');
    await at.document.undo();
    at.document.isLaidOut = true;
    press('turn', along(18, 0.5));
    await settled();
    expect(doneLabels(at).at(-1)).toBe('Turn an edge');
    await at.document.undo();
    at.document.isLaidOut = true;
    press('takeOut', place(FRONT));
    await settled();
    expect(doneLabels(at).at(-1)).toBe('Take 1 point out');
  });
});
