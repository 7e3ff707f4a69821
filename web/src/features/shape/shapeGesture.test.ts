import { beforeEach, describe, expect, test } from '@jest/globals';
import { rowSum, weightOf } from '@judoka/core/weights';
import { setLocked } from '../../document/jointSettings.ts';
import type { ShapeMode } from '../../settings/uiSettings.ts';
import { drag, pointer, TestStage } from '../../testing/testStage.ts';
import {
  ARM_L,
  ARM_R,
  AROUND,
  BODY,
  doneLabels,
  openForEach,
  ringPoints,
  turned,
} from '../../testing/testWorkspace.ts';
import type { Workspace } from '../../workspace/Workspace.ts';
import { shapeGesture } from './shapeGesture.ts';

let at: Workspace;
let stage: TestStage;
let told: string[];
/** The same with another mirror. */
let mirrored: Workspace | undefined;
openForEach((opened) => ({ at } = opened));

beforeEach(() => {
  stage = new TestStage(at);
  told = [];
  mirrored = undefined;
  at.document.notify = (sentence) => void told.push(sentence);
  at.scene.chooseJoint(ARM_L);
});

const place = (p: number): number[] => [0, 1, 2].map((k) => at.scene.parts[BODY].skin.positions[p * 3 + k]);
const rows = () => at.scene.parts[BODY].skin.rows;
/** Where the left arm begins, above the front. */
const SHOULDER = 16 * AROUND + 1;
/** So much of the way from where the chest alone would have the point to where the arm alone would. */
function toward(p: number, share: number): [number, number, number] {
  const { rest } = at.scene.parts[BODY].skin;
  const own = weightOf(rows(), p, ARM_L);
  const [x, y, z] = place(p).map((now, k) => ((now - rest[p * 3 + k]) / own) * share);
  return [x, y, z];
}

/** A drag of the surface from a point of it, by so much of the scene. */
function shape(
  mode: ShapeMode,
  p: number,
  by: readonly [number, number, number],
  strength = 1,
  others = 0,
): void {
  stage.settings = {
    ...stage.settings,
    tool: 'shape',
    shapeMode: mode,
    shapeOthers: others,
    strength,
    limit: 4,
    depth: 'surface',
  };
  const [x, y, z] = place(p);
  const [from, to] = [stage.spotOf(x, y, z), stage.spotOf(x + by[0], y + by[1], z + by[2])];
  const hit = stage.sight.pick(from.x, from.y);
  if (!hit) throw new Error('It began beside the body.');
  const gesture = shapeGesture({ ...stage.context, at: mirrored ?? at }, hit, from, pointer({}));
  if (gesture) drag(gesture, [to]);
  at.document.settle();
}

describe('dragging the bent surface', () => {
  beforeEach(() => at.scene.setPose(turned({ [ARM_L]: ['z', 70] })));

  test('it goes with the hand as far as weights reach, as one edit; undone, it is as before', async () => {
    at.document.settle();
    const [before, values] = [place(SHOULDER), rows().values.slice()];
    const own = weightOf(rows(), SHOULDER, ARM_L);
    const by = toward(SHOULDER, 0.2);
    shape('drag', SHOULDER, by);
    expect(weightOf(rows(), SHOULDER, ARM_L)).toBeCloseTo(own + 0.2, 1);
    place(SHOULDER).forEach((x, k) => expect(x).toBeCloseTo(before[k] + by[k], 1));
    for (const p of ringPoints(16)) expect(rowSum(rows(), p)).toBeCloseTo(1, 6);
    expect(doneLabels(at).at(-1)).toBe('Shape: drag');
    await at.document.undo();
    expect(rows().values).toEqual(values);
  });

  test('what no weights reach is told', () => {
    shape('drag', SHOULDER, [0.4, -0.6, 0]);
    expect(told.at(-1)).toMatch(/^Weights go \d+% of the way; .* are left in the mean/);
  });

  test('a selection that is taken by one of its points goes as a whole; nothing else does', () => {
    const ring = ringPoints(16);
    at.scene.selection.choosePoints(new Map([[BODY, ring]]), 'replace');
    const values = rows().values.slice();
    shape('drag', SHOULDER, toward(SHOULDER, 0.2));
    const { stride } = rows();
    const changed = new Set(
      [...values.keys()].filter((i) => values[i] !== rows().values[i]).map((i) => Math.floor(i / stride)),
    );
    expect([...changed].every((p) => ring.includes(p))).toBe(true);
    expect(changed.size).toBeGreaterThan(AROUND / 2);
  });

  test('mirrored, the other side gets what this one has got', () => {
    const { rest } = at.scene.parts[BODY].skin;
    const count = rest.length / 3;
    const isAcross = (p: number, q: number): boolean =>
      Math.abs(rest[p * 3] + rest[q * 3]) +
        Math.abs(rest[p * 3 + 1] - rest[q * 3 + 1]) +
        Math.abs(rest[p * 3 + 2] - rest[q * 3 + 2]) <
      1e-4;
    const all = Array.from({ length: count }, (_, q) => q);
    const mirroring = {
      live: true,
      space: { firstPoint: Uint32Array.of(0, count) },
      pairs: Int32Array.from(all, (p) => all.find((q) => isAcross(p, q)) ?? -1),
    };
    mirrored = Object.create(at, { mirroring: { value: mirroring } }) as Workspace;
    shape('drag', SHOULDER, toward(SHOULDER, 0.2));
    const other = mirroring.pairs[SHOULDER];
    expect(weightOf(rows(), other, ARM_R)).toBeCloseTo(weightOf(rows(), SHOULDER, ARM_L), 5);
    expect(weightOf(rows(), other, ARM_R)).toBeGreaterThan(0.6);
  });

  test('while the mirror looks for counterparts nothing is begun, and the writer is free', () => {
    const values = rows().values.slice();
    const mirroring = { live: true, space: { firstPoint: Uint32Array.of(0) }, pairs: undefined };
    mirrored = Object.create(at, { mirroring: { value: mirroring } }) as Workspace;
    shape('drag', SHOULDER, toward(SHOULDER, 0.2));
    expect(told.at(-1)).toMatch(/Counterparts are still being looked for/);
    expect(rows().values).toEqual(values);
    expect(at.document.writer.holder).toBeUndefined();
  });

  test('locked joints keep their weights, and other bends that count hold it back', () => {
    at.scene.strip.setBend('z', 40);
    const lifted = (others: number): number => {
      const own = weightOf(rows(), SHOULDER, ARM_L);
      shape('drag', SHOULDER, toward(SHOULDER, 0.1), 1, others);
      return weightOf(rows(), SHOULDER, ARM_L) - own;
    };
    const held = lifted(1);
    expect(held).toBeGreaterThan(0);
    expect(held).toBeLessThan(lifted(0));
    setLocked(at.document, ARM_L, true);
    expect(lifted(0)).toBe(0);
  });
});

describe('dabs', () => {
  beforeEach(() => at.scene.setPose(turned({ [ARM_L]: ['z', 70] })));

  test('evening out brings points nearer to the middle of their neighbours', () => {
    const rough = (): number => {
      const { offsets, points } = at.scene.parts[BODY].paint.neighbours;
      return ringPoints(16).reduce((sum, p) => {
        const near = [...points.subarray(offsets[p], offsets[p + 1])];
        const middle = [0, 1, 2].map((k) => near.reduce((all, q) => all + place(q)[k], 0) / near.length);
        return sum + Math.hypot(...place(p).map((x, k) => x - middle[k]));
      }, 0);
    };
    const before = rough();
    shape('even', SHOULDER, [0, 0.05, 0]);
    expect(rough()).toBeLessThan(before);
    expect(doneLabels(at).at(-1)).toBe('Shape: even');
  });

  test.each([
    ['out', 1],
    ['in', -1],
  ] as const)('%s goes along the normals, as far as weights reach', (mode, sign) => {
    const p = 15 * AROUND;
    const normal = [0, 1, 2].map((k) => at.scene.parts[BODY].skin.normals[p * 3 + k]);
    const before = place(p);
    const front = 15 * AROUND + 2;
    stage.radius = 1.5;
    shape(mode, front, [0.01, 0, 0]);
    const moved = place(p).reduce((sum, x, k) => sum + (x - before[k]) * normal[k], 0);
    expect(sign * moved).toBeGreaterThanOrEqual(-1e-6);
  });
});

test('at rest nothing is begun, and why is told', () => {
  shape('drag', SHOULDER, [0, 0.1, 0]);
  expect(told).toEqual(['Bend the character first: at rest, weights move nothing.']);
  expect(doneLabels(at)).toEqual([]);
});
