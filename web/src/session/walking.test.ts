import { beforeEach, expect, test } from '@jest/globals';
import { findNeighbours, listMask } from '@judoka/core/mesh';
import type { CharacterSession, Marks } from './CharacterSession.ts';
import { Selection } from './selection.ts';
import type { SessionPart } from './sessionPart.ts';
import { Topics } from './topics.ts';
import { Walking } from './walking.ts';

const COLUMNS = 6;
const at = (x: number, y: number): number => y * (COLUMNS + 1) + x;

/** A sheet of quads, six by four, with a hole; its points are all that a walk needs to know. */
function sheet(): SessionPart {
  const corners: number[] = [];
  for (let y = 0; y < 4; y++)
    for (let x = 0; x < COLUMNS; x++)
      if (x !== 4 || y !== 1) corners.push(at(x, y), at(x + 1, y), at(x + 1, y + 1), at(x, y + 1));
  const pointCount = (COLUMNS + 1) * 5;
  const polygonOffsets = Uint32Array.from({ length: corners.length / 4 + 1 }, (_, i) => i * 4);
  const polygonPoints = Uint32Array.from(corners);
  const neighbours = findNeighbours({ offsets: polygonOffsets, points: polygonPoints }, pointCount);
  return {
    index: 0,
    visible: true,
    part: { role: 'skinned', pointCount, polygonOffsets, polygonPoints },
    paint: { neighbours },
  } as unknown as SessionPart;
}

const part = sheet();
let told: string[];
let session: CharacterSession;
let walking: Walking;

beforeEach(() => {
  told = [];
  const topics = new Topics<string>();
  const parts = [part];
  session = {
    parts,
    topics,
    selection: new Selection(parts, () => topics.tell('selection')),
    setMarks(this: { marks: Marks }, marks: Marks) {
      this.marks = marks;
    },
    tellPerson: (words: string) => told.push(words),
  } as unknown as CharacterSession;
  walking = new Walking(session);
});

const select = (...points: number[]): void =>
  session.selection.choosePoints(new Map([[0, Uint32Array.from(points)]]), 'replace');
const selected = (): number[] => [...listMask(session.selection.masks[0])];
const sorted = (...points: number[]): number[] => points.sort((a, b) => a - b);
const row = (y: number, ...xs: number[]): number[] => xs.map((x) => at(x, y));

test('two selected neighbours say where a walk begins; anything else does not', () => {
  select(at(1, 1), at(2, 1));
  expect(walking.chosenEdge()).toEqual({ part, a: at(1, 1), b: at(2, 1) });
  select(at(1, 1), at(3, 1));
  expect(walking.chosenEdge()).toBeUndefined();
  select(at(1, 1), at(2, 1), at(3, 1));
  expect(walking.chosenEdge()).toBeUndefined();
});

test('a loop stops before the hole, marks it and says how to go on; a click goes on that way', () => {
  select(at(1, 2), at(2, 2));
  walking.start('loop', { part, a: at(1, 2), b: at(2, 2) });
  expect(selected()).toEqual(row(2, 0, 1, 2, 3, 4));
  expect([...(session.marks.points.get(0) ?? [])]).toContain(at(4, 2));
  expect(told.at(-1)).toContain('Click a neighbour');
  expect(walking.goOn(part, at(2, 4))).toBe(false);
  expect(walking.goOn(part, at(4, 3))).toBe(true);
  expect(selected()).toEqual(sorted(...row(2, 0, 1, 2, 3, 4), at(4, 3), at(4, 4)));
});

test('selecting something else ends the walk: a click is a click again', () => {
  walking.start('loop', { part, a: at(1, 2), b: at(2, 2) });
  select(at(0, 0));
  expect(walking.goOn(part, at(4, 3))).toBe(false);
  expect(selected()).toEqual([at(0, 0)]);
});

test('a ring that ends at the open border says so, and offers nothing', () => {
  walking.start('ring', { part, a: at(1, 3), b: at(1, 4) });
  expect(selected()).toEqual(sorted(...row(3, 0, 1, 2, 3, 4, 5, 6), ...row(4, 0, 1, 2, 3, 4, 5, 6)));
  expect(told.at(-1)).toContain('open border');
});

test('borders: the outer one, the one of the hole, and none in the midst', () => {
  select(at(0, 0));
  expect(walking.borders()).toBe(true);
  expect(selected()).toHaveLength(2 * (COLUMNS + 4));
  select(at(4, 1));
  expect(walking.borders()).toBe(true);
  expect(selected()).toEqual(sorted(at(4, 1), at(5, 1), at(4, 2), at(5, 2)));
  select(at(2, 2));
  expect(walking.borders()).toBe(false);
  expect(selected()).toEqual([at(2, 2)]);
});
