import { beforeEach, describe, expect, test } from '@jest/globals';
import { apply, createRows, invert, rowSum, weightOf, type WeightRows } from '@judoka/core/weights';
import { type BrushSettings, createPaintWorkspace } from '@judoka/core/operations/paint';
import { createPlainMemory } from '@judoka/core/memory';
import { findNeighbours } from '@judoka/core/mesh';
import { gatherMirrorSpace } from '@judoka/core/document';
import { Selection } from '../../scene/Selection.ts';
import type { ScenePart } from '../../scene/ScenePart.ts';
import { StrokeRun, type StrokeMirror } from './StrokeRun.ts';
import type { Editing } from '../../scene/Editing.ts';

const IDENTITY = [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1];
/** Joints: 0 and 1 are partners, 2 is in the middle, 3 has none. */
const PARTNER = Int32Array.of(1, 0, 2, -1);
const COUNT = 4;

/** A part of one quad whose points all hang on joint 2. */
function quad(index: number): ScenePart {
  const memory = createPlainMemory();
  const rows = createRows(COUNT);
  for (let p = 0; p < COUNT; p++) {
    rows.joints[p * rows.stride] = 2;
    rows.values[p * rows.stride] = 1;
  }
  const polygons = { polygonOffsets: Uint32Array.of(0, 4), polygonPoints: Uint32Array.of(0, 1, 2, 3) };
  const neighbours = findNeighbours(
    { offsets: polygons.polygonOffsets, points: polygons.polygonPoints },
    COUNT,
  );
  return {
    index,
    visible: true,
    part: {
      name: `part ${index}`,
      role: 'skinned',
      pointCount: COUNT,
      positions: new Float32Array(COUNT * 3),
      inverseBinds: Float32Array.from(IDENTITY),
      ...polygons,
    },
    skin: { rows },
    paint: createPaintWorkspace(memory, COUNT, rows.stride, neighbours),
    jointWeights: new Float32Array(COUNT),
    strays: new Uint8Array(COUNT),
  } as unknown as ScenePart;
}

let parts: ScenePart[];
let at: Editing;
let mirror: { -readonly [Key in keyof StrokeMirror]: StrokeMirror[Key] };
let written: [part: number, points: number[]][];

/** Two parts; each point of the first is the counterpart of the same one of the second, but for the last. */
beforeEach(() => {
  parts = [quad(0), quad(1)];
  written = [];
  at = {
    document: {
      locks: new Uint8Array(4),
      settings: { confines: {} },
      saved: { selections: [] },
      pairs: { partner: PARTNER, axis: 0, middle: 0 },
      jointName: (joint: number) => `joint ${joint}`,
      rowsWritten: (part: number, points: Uint32Array, count: number) =>
        written.push([part, [...points.slice(0, count)]]),
    },
    scene: { parts, selection: new Selection(parts, () => undefined) },
  } as unknown as Editing;
  mirror = {
    live: false,
    pairs: Int32Array.of(4, 5, 6, -1, 0, 1, 2, -1),
    space: gatherMirrorSpace(parts.map(({ part }) => part)),
    touching: Int32Array.of(4, -1, -1, -1, 0, -1, -1, -1),
  };
});

const brush = (more: Partial<BrushSettings> = {}): BrushSettings => ({
  tool: 'add',
  joint: 0,
  strength: 1,
  value: 0,
  allInfluences: false,
  limit: 4,
  ...more,
});

function dab(run: StrokeRun, part: number, points: readonly number[], amount = 0.4): void {
  parts[part].paint.points.set(points);
  parts[part].paint.amounts.fill(amount, 0, points.length);
  run.dab(parts[part], points.length, 1);
}
const rowsOf = (part: number): WeightRows => parts[part].skin.rows;
const column = (part: number, joint: number): number[] =>
  Array.from({ length: COUNT }, (_, p) => weightOf(rowsOf(part), p, joint));
const close = (...values: number[]) => values.map((value) => expect.closeTo(value, 5));

describe('a stroke', () => {
  test('over two parts is one change by rising part, and is undone to the bit', () => {
    const run = new StrokeRun(at, mirror, brush());
    dab(run, 1, [0, 1]);
    dab(run, 0, [2]);
    dab(run, 1, [1]);
    const { change } = run.finish();
    expect(change.map(({ part, points }) => [part, ...points])).toEqual([
      [0, 2],
      [1, 0, 1],
    ]);
    expect(column(1, 0)).toEqual(close(0.4, 0.8, 0, 0));
    apply(
      at.scene.parts.map(({ skin }) => skin.rows),
      invert(change),
    );
    expect(column(1, 0)).toEqual([0, 0, 0, 0]);
    expect(written.map(([part]) => part)).toEqual([1, 0, 1]);
  });

  test('paints the selection only, and nothing that is hidden', () => {
    at.scene.selection.choosePoints(new Map([[0, Uint32Array.of(0, 1)]]), 'replace');
    parts[0].hidden = Uint8Array.of(0, 1, 0, 0);
    const run = new StrokeRun(at, mirror, brush());
    dab(run, 0, [0, 1, 2]);
    dab(run, 1, [0]);
    expect(run.finish().change.map(({ part, points }) => [part, ...points])).toEqual([[0, 0]]);
  });

  test('of a locked joint is refused before it begins; smoothing all may be done', () => {
    at.document.locks[0] = 1;
    expect(() => new StrokeRun(at, mirror, brush())).toThrow('This joint is locked');
    expect(() => new StrokeRun(at, mirror, brush({ tool: 'smooth', allInfluences: true }))).not.toThrow();
  });

  test('tells which points kept what nothing could receive', () => {
    const run = new StrokeRun(at, mirror, brush({ tool: 'take', joint: 2 }));
    dab(run, 0, [1, 3]);
    const { change, report } = run.finish();
    expect(change).toEqual([]);
    expect(report.noReceiver).toBe(2);
    expect([...(report.refused.get(0) ?? [])]).toEqual([1, 3]);
  });
});

describe('with the live mirror', () => {
  const live = (more: object = {}): void => void Object.assign(mirror, { live: true }, more);

  test('the partner is painted on the counterparts, across parts; points without one are counted', () => {
    live();
    const run = new StrokeRun(at, mirror, brush());
    dab(run, 0, [0, 2, 3]);
    const { change, report } = run.finish();
    expect(column(0, 0)).toEqual(close(0.4, 0, 0.4, 0.4));
    expect(column(1, 1)).toEqual(close(0.4, 0, 0.4, 0));
    expect(report.unmirrored).toBe(1);
    expect(change.map(({ part }) => part)).toEqual([0, 1]);
    for (const part of [0, 1])
      for (let p = 0; p < COUNT; p++) expect(rowSum(rowsOf(part), p)).toBeCloseTo(1, 6);
  });

  test('a joint of the middle is painted once where the point is its own counterpart', () => {
    live({ pairs: Int32Array.of(0, 5, -1, -1, -1, 1, -1, -1) });
    const run = new StrokeRun(at, mirror, brush({ tool: 'set', joint: 2, value: 0.5 }));
    for (const rows of [rowsOf(0), rowsOf(1)]) {
      rows.joints.set([0, 2], 0);
      rows.values.set([0.9, 0.1], 0);
    }
    dab(run, 0, [0], 0.5);
    expect(weightOf(rowsOf(0), 0, 2)).toBeCloseTo(0.3, 5);
    expect(column(1, 2)[0]).toBeCloseTo(0.1, 5);
  });

  test('a joint without a partner, or counterparts that are not found yet, are told', () => {
    live();
    expect(() => new StrokeRun(at, mirror, brush({ joint: 3 }))).toThrow('“joint 3” has no partner');
    live({ pairs: undefined });
    expect(() => new StrokeRun(at, mirror, brush())).toThrow('still being looked for');
  });
});

describe('where parts touch', () => {
  beforeEach(() => {
    // The first point of part 1 hangs on joint 0.
    rowsOf(1).joints[0] = 0;
  });

  test('smoothing brings both points to their mean, in one change of both parts', () => {
    const run = new StrokeRun(at, mirror, brush({ tool: 'smooth', allInfluences: true }), true);
    dab(run, 0, [0], 1);
    for (const part of [0, 1]) expect([0, 2].map((joint) => column(part, joint)[0])).toEqual(close(0.5, 0.5));
    expect(run.finish().change.map(({ part, points }) => [part, ...points])).toEqual([
      [0, 0],
      [1, 0],
    ]);
    expect(written).toContainEqual([1, [0]]);
  });

  test('not without being asked, not with another tool, and not to a part that is hidden', () => {
    for (const [settings, meet] of [
      [brush({ tool: 'smooth', allInfluences: true }), false],
      [brush({ tool: 'scale', value: 1 }), true],
    ] as const) {
      const run = new StrokeRun(at, mirror, settings, meet);
      dab(run, 0, [0], 1);
      expect(run.finish().change).toEqual([]);
    }
    parts[1].visible = false;
    const run = new StrokeRun(at, mirror, brush({ tool: 'smooth', allInfluences: true }), true);
    dab(run, 0, [0], 1);
    expect(run.finish().change).toEqual([]);
  });
});
