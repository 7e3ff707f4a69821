import { beforeEach, expect, test } from '@jest/globals';
import { findNeighbours, listMask } from '@judoka/core/mesh';
import { Events } from '../../document/events.ts';
import type { Marks, SceneEvent } from '../../scene/Scene.ts';
import { Selection } from '../../scene/Selection.ts';
import type { ScenePart } from '../../scene/ScenePart.ts';
import { Walking } from './Walking.ts';
import type { Editing } from '../../scene/Editing.ts';

const COLUMNS = 6;
const place = (x: number, y: number): number => y * (COLUMNS + 1) + x;

/** A sheet of quads, six by four, with a hole; its points are all that a walk needs to know. */
function sheet(): ScenePart {
  const corners: number[] = [];
  for (let y = 0; y < 4; y++)
    for (let x = 0; x < COLUMNS; x++)
      if (x !== 4 || y !== 1)
        corners.push(place(x, y), place(x + 1, y), place(x + 1, y + 1), place(x, y + 1));
  const pointCount = (COLUMNS + 1) * 5;
  const polygonOffsets = Uint32Array.from({ length: corners.length / 4 + 1 }, (_, i) => i * 4);
  const polygonPoints = Uint32Array.from(corners);
  const neighbours = findNeighbours({ offsets: polygonOffsets, points: polygonPoints }, pointCount);
  return {
    index: 0,
    visible: true,
    part: { role: 'skinned', pointCount, polygonOffsets, polygonPoints },
    paint: { neighbours },
  } as unknown as ScenePart;
}

const part = sheet();
let told: string[];
let at: Editing;
let walking: Walking;

beforeEach(() => {
  told = [];
  const parts = [part];
  const events = new Events<SceneEvent>();
  at = {
    document: { notify: (words: string) => told.push(words) },
    scene: {
      parts,
      events,
      selection: new Selection(parts, () => events.publish('selection')),
      setMarks(this: { marks: Marks }, marks: Marks) {
        this.marks = marks;
      },
    },
  } as unknown as Editing;
  walking = new Walking(at);
});

const select = (...points: number[]): void =>
  at.scene.selection.choosePoints(new Map([[0, Uint32Array.from(points)]]), 'replace');
const selected = (): number[] => [...listMask(at.scene.selection.masks[0])];
const sorted = (...points: number[]): number[] => points.sort((a, b) => a - b);
const row = (y: number, ...xs: number[]): number[] => xs.map((x) => place(x, y));

test('two selected neighbours say where a walk begins; anything else does not', () => {
  select(place(1, 1), place(2, 1));
  expect(walking.chosenEdge()).toEqual({ part, a: place(1, 1), b: place(2, 1) });
  select(place(1, 1), place(3, 1));
  expect(walking.chosenEdge()).toBeUndefined();
  select(place(1, 1), place(2, 1), place(3, 1));
  expect(walking.chosenEdge()).toBeUndefined();
});

test('a loop stops before the hole, marks it and says how to go on; a click goes on that way', () => {
  select(place(1, 2), place(2, 2));
  walking.start('loop', { part, a: place(1, 2), b: place(2, 2) });
  expect(selected()).toEqual(row(2, 0, 1, 2, 3, 4));
  expect([...(at.scene.marks.points.get(0) ?? [])]).toContain(place(4, 2));
  expect(told.at(-1)).toContain('Click a neighbour');
  expect(walking.goOn(part, place(2, 4))).toBe(false);
  expect(walking.goOn(part, place(4, 3))).toBe(true);
  expect(selected()).toEqual(sorted(...row(2, 0, 1, 2, 3, 4), place(4, 3), place(4, 4)));
});

test('selecting something else ends the walk: a click is a click again', () => {
  walking.start('loop', { part, a: place(1, 2), b: place(2, 2) });
  select(place(0, 0));
  expect(walking.goOn(part, place(4, 3))).toBe(false);
  expect(selected()).toEqual([place(0, 0)]);
});

test('a ring that ends at the open border says so, and offers nothing', () => {
  walking.start('ring', { part, a: place(1, 3), b: place(1, 4) });
  expect(selected()).toEqual(sorted(...row(3, 0, 1, 2, 3, 4, 5, 6), ...row(4, 0, 1, 2, 3, 4, 5, 6)));
  expect(told.at(-1)).toContain('open border');
});

test('borders: the outer one, the one of the hole, and none in the midst', () => {
  select(place(0, 0));
  expect(walking.borders()).toBe(true);
  expect(selected()).toHaveLength(2 * (COLUMNS + 4));
  select(place(4, 1));
  expect(walking.borders()).toBe(true);
  expect(selected()).toEqual(sorted(place(4, 1), place(5, 1), place(4, 2), place(5, 2)));
  select(place(2, 2));
  expect(walking.borders()).toBe(false);
  expect(selected()).toEqual([place(2, 2)]);
});
