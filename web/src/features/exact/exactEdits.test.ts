import type { Editing } from '../../scene/Editing.ts';
import { beforeEach, describe, expect, test } from '@jest/globals';
import { apply, createRows, rowSum, weightOf, type WeightRows } from '@judoka/core/weights';
import { findNeighbours } from '@judoka/core/mesh';
import { foretell, influenceChange, pasteChange, pruneChange, rowOf, spansOf } from './exactEdits.ts';
import { scopeOf } from '../../scene/scope.ts';
import { gradientChange, ringsChange } from '../paint/gradient.ts';
import { Selection } from '../../scene/Selection.ts';
import type { ScenePart } from '../../scene/ScenePart.ts';

const COUNT = 5;
let rows: WeightRows;
let at: Editing;

/** A line of points at x = 0 to 4, each with an edge to the next; the first two are joint 0's, the others joint 1's. */
beforeEach(() => {
  rows = createRows(COUNT);
  for (let p = 0; p < COUNT; p++) {
    rows.joints.set(p < 2 ? [0, 1] : [1, 0], p * rows.stride);
    rows.values.set([0.75, 0.25], p * rows.stride);
  }
  const edges = [0, 1, 1, 2, 2, 3, 3, 4];
  const neighbours = findNeighbours(
    { offsets: Uint32Array.of(0, 2, 4, 6, 8), points: Uint32Array.from(edges) },
    COUNT,
  );
  const positions = Float32Array.from({ length: COUNT * 3 }, (_, i) => (i % 3 === 0 ? i / 3 : 0));
  const part = {
    index: 0,
    visible: true,
    part: { role: 'skinned', pointCount: COUNT, positions },
    skin: { rows, positions },
    paint: { neighbours },
  } as unknown as ScenePart;
  at = {
    document: {
      bound: { jointCapacity: 4 },
      locks: new Uint8Array(4),
      settings: { confines: {} },
      saved: { selections: [] },
      rowsOfPart: () => [rows],
    },
    scene: {
      joint: 2,
      parts: [part],
      selection: new Selection([part], () => undefined),
      movementOf: () => 0.125,
    },
  } as unknown as Editing;
});

const HOW = { receiver: 'others', receiverJoint: -1, limit: 4 } as const;
const points = (...list: number[]) => new Map([[0, Uint32Array.from(list)]]);
const column = (joint: number): number[] => Array.from({ length: COUNT }, (_, p) => weightOf(rows, p, joint));
const close = (...values: number[]) => values.map((value) => expect.closeTo(value, 5));

describe('what is acted on', () => {
  test('the selection; all points where there is none', () => {
    expect([...(scopeOf(at).get(0) ?? [])]).toEqual([0, 1, 2, 3, 4]);
    at.scene.selection.choosePoints(points(1, 3), 'replace');
    expect([...(scopeOf(at).get(0) ?? [])]).toEqual([1, 3]);
  });

  test('spans are least, mean and greatest over all of it; a point without counts as none', () => {
    rows.values.set([1, 0], 0);
    expect(spansOf(at, points(0, 1, 2, 3))).toEqual([
      { joint: 0, least: 0.25, mean: 0.5625, most: 1 },
      { joint: 1, least: 0, mean: 0.4375, most: 0.75 },
    ]);
  });
});

describe('changes', () => {
  test('set, scale and shift; others share the rest, and what could not is counted', () => {
    apply([rows], influenceChange(at, points(0), 0, { kind: 'scale', by: 2 }, HOW).change);
    apply([rows], influenceChange(at, points(1), 0, { kind: 'shift', by: -0.25 }, HOW).change);
    expect(column(0).slice(0, 2)).toEqual(close(1, 0.5));
    const { change, held } = influenceChange(at, points(0, 1), 0, { kind: 'set', to: 0.25 }, HOW);
    expect(held).toBe(1);
    expect(change.map((delta) => [...delta.points])).toEqual([[1]]);
  });

  test('what a change will do is told before: points, the largest step, the movement', () => {
    const change = pruneChange(at, points(0, 4), { below: 0.3 });
    expect(foretell(at, change)).toEqual({ points: 2, most: expect.closeTo(0.25, 5), movement: 0.125 });
    expect(column(0)).toEqual(close(0.75, 0.75, 0.25, 0.25, 0.25));
  });

  test('a row held from one place is the row pasted elsewhere', () => {
    const held = rowOf(at, points(4));
    apply([rows], pasteChange(at, points(0), held, 4));
    expect(column(1)).toEqual(close(0.75, 0.25, 0.75, 0.75, 0.75));
    expect(rowOf(at, points(0, 1)).map(({ weight }) => weight)).toEqual(close(0.5, 0.5));
  });
});

describe('gradients', () => {
  const settings = {
    ...HOW,
    falloff: 'linear' as const,
    ownFalloff: [],
    gradient: 'linear' as 'linear' | 'around',
  };

  test('along a line: all before its start, none past its end', () => {
    apply([rows], gradientChange(at, [1, 0, 0], [3, 0, 0], settings));
    expect(column(2)).toEqual(close(1, 1, 0.5, 0, 0));
    for (let p = 0; p < COUNT; p++) expect(rowSum(rows, p)).toBeCloseTo(1, 6);
  });

  test('around a place: only what its reach holds', () => {
    apply([rows], gradientChange(at, [2, 0, 0], [2, 2, 0], { ...settings, gradient: 'around' }));
    expect(column(2)).toEqual(close(0, 0.5, 1, 0.5, 0));
  });

  test('by rings from the selection', () => {
    at.scene.selection.choosePoints(points(0), 'replace');
    apply([rows], ringsChange(at, 3, settings));
    expect(column(2)).toEqual(close(1, 0.75, 0.5, 0.25, 0));
  });
});
