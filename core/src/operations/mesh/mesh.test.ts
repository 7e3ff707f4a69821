import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import type { Character, CharacterPart } from '../../document/character.ts';
import { applyEdit, type DocumentState } from '../../document/document.ts';
import { invertEdit } from '../../document/edit.ts';
import { readMoved, movedValues } from '../../document/movedPoints.ts';
import { readSettings } from '../../document/settings.ts';
import { shapesOf, withShapes } from '../../document/withShapes.ts';
import type { MeshChange } from '../../mesh/meshChange.ts';
import { findNeighbours } from '../../mesh/topology.ts';
import { countQuads, polygonCount } from '../../mesh/part.ts';
import { partOf, skeletonOf, tube } from '../../testing/testBody.ts';
import { influencesOf, weightOf, type WeightRows } from '../../weights/rows.ts';
import { grid, rowsFrom } from '../../testing/shapes.ts';
import {
  insertLoop,
  insertPoint,
  takeOutPoints,
  turnEdge,
  type MeshEdit,
  type MeshSubject,
} from './changeMesh.ts';

const PLACES = [
  [0, 0, 0],
  [3, 0, 0],
] as const;

/** A character of one part, and its document, to which edits are made as to any. */
class Bench {
  readonly #base: Character;
  #state: DocumentState;

  constructor(part: CharacterPart, rows?: WeightRows) {
    const own =
      rows ??
      rowsFrom(
        Array.from({ length: part.pointCount }, (_, p) => ({ 0: 0.25 + (p % 3) / 4, 1: 0.75 - (p % 3) / 4 })),
      );
    this.#base = {
      ...{ parts: [part], rows: [own], clips: [], morphs: [], plainNodes: [], materialCount: 0, notes: [] },
      skeleton: skeletonOf([
        ['root', -1, PLACES[0]],
        ['tip', 0, PLACES[1]],
      ]),
      sourceWeights: [],
    };
    this.#state = { rows: [own], skeleton: this.#base.skeleton, values: {} };
  }

  get state(): DocumentState {
    return this.#state;
  }

  get rows(): WeightRows {
    return this.#state.rows[0];
  }

  get part(): CharacterPart {
    return withShapes(this.#base, shapesOf(this.#state.values)).parts[0];
  }

  get subject(): MeshSubject {
    return { part: this.part, index: 0, rows: this.rows, values: this.#state.values };
  }

  get change(): MeshChange | undefined {
    return readSettings(this.#state.values).meshes[0];
  }

  setValues(wanted: Readonly<Record<string, unknown>>): void {
    this.#state = { ...this.#state, values: { ...this.#state.values, ...wanted } as DocumentState['values'] };
  }

  do({ edit }: MeshEdit): void {
    this.#state = applyEdit(this.#state, edit);
  }

  undo({ edit }: MeshEdit): void {
    this.#state = applyEdit(this.#state, invertEdit(edit));
  }
}

const sheet = (columns = 4, lines = 3): CharacterPart => {
  const { positions, triangles } = grid(columns, lines);
  return partOf('sheet', [...positions], [...triangles], PLACES);
};
const pipe = (): CharacterPart => {
  const { positions, triangles } = tube(0, 6, 0, 0, { around: 8, rings: 7, capped: false });
  return partOf('pipe', positions, triangles, PLACES);
};
const edgesOf = ({ polygonOffsets, polygonPoints, pointCount }: CharacterPart): number =>
  findNeighbours({ offsets: polygonOffsets, points: polygonPoints }, pointCount).points.length / 2;
/** Points, less edges, faces: two for a sphere, one for a sheet, none for a pipe. Points without a face do not count. */
const euler = (part: CharacterPart): number =>
  new Set(part.polygonPoints).size - edgesOf(part) + polygonCount(part);
const area = ({ positions, triangles }: CharacterPart): number => {
  let sum = 0;
  for (let t = 0; t < triangles.length; t += 3) {
    const [a, b, c] = [0, 1, 2].map((k) =>
      positions.subarray(triangles[t + k] * 3, triangles[t + k] * 3 + 3),
    );
    const [u, v] = [[0, 1, 2].map((k) => b[k] - a[k]), [0, 1, 2].map((k) => c[k] - a[k])];
    sum += Math.hypot(u[1] * v[2] - u[2] * v[1], u[2] * v[0] - u[0] * v[2], u[0] * v[1] - u[1] * v[0]) / 2;
  }
  return sum;
};

describe('a loop', () => {
  test('goes through a row of quads, with weights and places at (1 − t)·a + t·b', () => {
    const bench = new Bench(sheet());
    const before = bench.part;
    const edit = insertLoop(bench.subject, { a: 0, b: 1, share: 0.3 });
    bench.do(edit);
    const { part, rows } = bench;
    expect(edit.added).toHaveLength(4);
    expect(countQuads(part)).toBe(countQuads(before) + 3);
    expect(euler(part)).toBe(1);
    expect(area(part)).toBeCloseTo(12, 5);
    edit.added.forEach((p) => {
      expect(part.positions[p * 3]).toBeCloseTo(0.3, 6);
      const y = Math.round(part.positions[p * 3 + 1]);
      for (const joint of [0, 1])
        expect(weightOf(rows, p, joint)).toBeCloseTo(
          0.7 * weightOf(rows, y * 5, joint) + 0.3 * weightOf(rows, y * 5 + 1, joint),
          6,
        );
    });
  });

  test('closes around a pipe, and its other way runs along to both ends', () => {
    const bench = new Bench(pipe());
    const quads = countQuads(bench.part);
    // Points of one ring of the pipe stand one after the other.
    const around = insertLoop(bench.subject, { a: 0, b: 8, share: 0.5 });
    expect(around.added).toHaveLength(8);
    bench.do(around);
    expect(countQuads(bench.part)).toBe(quads + 8);
    expect(euler(bench.part)).toBe(0);
    const along = insertLoop(bench.subject, { a: 0, b: 1, share: 0.25 });
    expect(along.added).toHaveLength(bench.part.pointCount / 8);
    bench.do(along);
    expect(euler(bench.part)).toBe(0);
    expect(area(bench.part)).toBeCloseTo(area(pipe()), 1);
  });

  test('ends in a triangle, which is halved', () => {
    const { positions, triangles } = grid(2, 1);
    // A triangle beyond the last edge.
    const part = partOf('end', [...positions, 3, 0.5, 0], [...triangles, 2, 6, 5], PLACES);
    const bench = new Bench(part);
    const edit = insertLoop(bench.subject, { a: 0, b: 3, share: 0.5 });
    bench.do(edit);
    expect(edit.added).toHaveLength(3);
    expect(polygonCount(bench.part)).toBe(2 * 2 + 2);
    expect(euler(bench.part)).toBe(1);
    expect(area(bench.part)).toBeCloseTo(2.5, 6);
  });

  test('is refused where there is no quad, where the row crosses itself, and where there is no edge', () => {
    const lone = new Bench(partOf('lone', [0, 0, 0, 1, 0, 0, 0, 1, 0], [0, 1, 2], PLACES));
    expect(() => insertLoop(lone.subject, { a: 0, b: 1, share: 0.5 })).toThrow(/No quad lies at this edge/);
    expect(() => insertPoint(new Bench(sheet()).subject, { a: 0, b: 7, share: 0.5 })).toThrow(
      /no edge between/,
    );
    // A strip that is bent back over its own first quad: the row enters it again by its other sides.
    const quads = [
      [0, 1, 2, 3],
      [1, 4, 5, 2],
      [5, 4, 6, 7],
      [7, 6, 8, 9],
      [9, 8, 3, 2],
    ];
    const places = [0, 0, 0, 1, 0, 0, 1, 1, 0, 0, 1, 0, 2, 0, 1, 2, 1, 1, 3, 0, 2, 3, 1, 2, 0, 3, 2, 1, 3, 2];
    const crossing = partOf(
      'crossing',
      places,
      quads.flatMap(([a, b, c, d]) => [a, b, c, a, c, d]),
      PLACES,
    );
    const bench = new Bench({
      ...crossing,
      polygonOffsets: Uint32Array.from({ length: 6 }, (_, i) => i * 4),
      polygonPoints: Uint32Array.from(quads.flat()),
    });
    const subject = {
      ...bench.subject,
      part: {
        ...crossing,
        polygonOffsets: Uint32Array.from({ length: 6 }, (_, i) => i * 4),
        polygonPoints: Uint32Array.from(quads.flat()),
      },
    };
    expect(() => insertLoop(subject, { a: 0, b: 3, share: 0.5 })).toThrow(/crosses itself/);
  });

  test('taken out again leaves quads, and undone leaves all to the bit', () => {
    const bench = new Bench(pipe());
    const before = bench.part;
    const rows = [...bench.rows.values];
    const edit = insertLoop(bench.subject, { a: 0, b: 8, share: 0.4 });
    bench.do(edit);
    const out = takeOutPoints(bench.subject, edit.added);
    bench.do(out);
    expect(countQuads(bench.part)).toBe(countQuads(before));
    expect(polygonCount(bench.part)).toBe(polygonCount(before));
    bench.undo(out);
    bench.undo(edit);
    expect(bench.part.triangles).toEqual(before.triangles);
    expect([...bench.rows.values]).toEqual(rows);
    expect(bench.change).toBeUndefined();
  });
});

describe('single edges and points', () => {
  test('a point on an edge divides both faces from there', () => {
    const bench = new Bench(sheet());
    bench.do(insertPoint(bench.subject, { a: 6, b: 7, share: 0.5 }));
    const { part } = bench;
    expect(part.pointCount).toBe(21);
    expect(countQuads(part)).toBeLessThanOrEqual(12);
    expect(euler(part)).toBe(1);
    expect(area(part)).toBeCloseTo(12, 5);
  });

  test('an edge of two triangles becomes their other diagonal; one at the border is refused', () => {
    const part = partOf('kite', [0, 0, 0, 1, -1, 0, 2, 0, 0, 1, 1, 0.9], [0, 1, 2, 0, 2, 3], PLACES);
    const two = { ...part, polygonOffsets: Uint32Array.of(0, 3, 6), polygonPoints: part.triangles };
    const bench = new Bench(two);
    const edit = turnEdge({ ...bench.subject, part: two }, 0, 2);
    const { faces } = (edit.edit.values[0].after ?? {}) as unknown as MeshChange;
    const sides = [faces.slice(0, 3), faces.slice(3)].map((face) => new Set(face));
    expect(sides.every((side) => side.has(1) && side.has(3))).toBe(true);
    expect(() => turnEdge(bench.subject, 0, 1)).toThrow(/on both sides/);
  });

  test('a point taken out of the middle is filled over, one of the border is left out', () => {
    const bench = new Bench(sheet());
    bench.do(takeOutPoints(bench.subject, [6]));
    expect([...bench.part.triangles]).not.toContain(6);
    expect(area(bench.part)).toBeCloseTo(12, 5);
    expect(euler(bench.part)).toBe(1);
    bench.do(takeOutPoints(bench.subject, [2]));
    expect([...bench.part.triangles]).not.toContain(2);
    expect(area(bench.part)).toBeCloseTo(12, 5);
    expect(() => takeOutPoints(bench.subject, [...new Set(bench.part.triangles)])).toThrow(
      /Nothing would be left/,
    );
  });

  test('a texture that is split stays so: loops cross the split, and what would tear it is refused', () => {
    // The middle column of the sheet has two vertices a point.
    const plain = sheet(2, 2);
    const twin = (p: number): number => [1, 4, 7].indexOf(p) + 9;
    const corners = plain.triangles.map((p, i) =>
      [1, 4, 7].includes(p) && Math.floor(i / 6) % 2 === 1 ? twin(p) : p,
    );
    const vertexPoint = Uint32Array.from([...plain.vertexPoint, 1, 4, 7]);
    const bench = new Bench({ ...plain, corners, vertexPoint, vertexCount: 12 });
    const edit = insertLoop(bench.subject, { a: 1, b: 4, share: 0.5 });
    expect(edit.added).toHaveLength(3);
    bench.do(edit);
    const { part, change } = bench;
    expect(change?.vertices).toHaveLength(4);
    const onSeam = edit.added.find((p) => part.positions[p * 3] === 1) ?? -1;
    expect([...part.vertexPoint].filter((p) => p === onSeam)).toHaveLength(2);
    expect(() => turnEdge(bench.subject, 4, onSeam)).toThrow(/would tear/);
    expect(() => takeOutPoints(bench.subject, [4])).toThrow(/texture is split/);
    bench.do(takeOutPoints(bench.subject, edit.added));
    expect(countQuads(bench.part)).toBe(4);
    expect(bench.part.triangles).toHaveLength(24);
  });

  test('welded parts get a point on either side of the weld, which are one again', () => {
    const { positions, triangles } = grid(1, 1);
    const beside = [...positions].map((x, i) => (i % 3 === 0 ? x + 1.01 : x));
    const part = partOf(
      'torn',
      [...positions, ...beside],
      [...triangles, ...[...triangles].map((p) => p + 4)],
      PLACES,
    );
    const bench = new Bench(part);
    bench.setValues({ 'parts/0/weld': 0.02 });
    const edit = insertLoop(bench.subject, { a: 0, b: 2, share: 0.5 });
    bench.do(edit);
    expect(edit.added).toHaveLength(4);
    expect(countQuads(bench.part)).toBe(4);
    expect(euler(bench.part)).toBe(1);
  });
});

describe('meshes as they come', () => {
  test('a face that is there twice is divided twice; none of it is left behind', () => {
    const { positions, triangles } = grid(2, 1);
    const part = partOf('doubled', [...positions], [...triangles, ...triangles.subarray(0, 6)], PLACES);
    const bench = new Bench(part);
    const before = area(bench.part);
    bench.do(insertPoint(bench.subject, { a: 0, b: 1, share: 0.5 }));
    expect(area(bench.part)).toBeCloseTo(before, 5);
    const [p] = [bench.part.pointCount - 1];
    const about = [...bench.part.triangles].filter((q) => q === p).length;
    expect(about).toBe(6);
  });

  test('a mesh in facets, where each triangle has vertices of its own, is one surface', () => {
    const { positions, triangles } = grid(3, 2);
    const plain = partOf('facets', [...positions], [...triangles], PLACES);
    const corners = Uint32Array.from(triangles.keys());
    const bench = new Bench({ ...plain, corners, vertexPoint: triangles, vertexCount: triangles.length });
    const edit = insertLoop(bench.subject, { a: 0, b: 1, share: 0.5 });
    bench.do(edit);
    expect(edit.added).toHaveLength(3);
    expect(euler(bench.part)).toBe(1);
    expect(area(bench.part)).toBeCloseTo(6, 5);
    expect(countQuads(bench.part)).toBe(8);
  });

  test('triangles only: a point on an edge makes four of two, a loop is refused', () => {
    // Six triangles about a point.
    const ring = Array.from({ length: 6 }, (_, i) => [
      Math.cos((i * Math.PI) / 3),
      Math.sin((i * Math.PI) / 3),
      0,
    ]);
    const triangles = ring.flatMap((_, i) => [0, i + 1, ((i + 1) % 6) + 1]);
    const part = partOf('fan', [0, 0, 0, ...ring.flat()], triangles, PLACES);
    const plain = {
      ...part,
      polygonOffsets: Uint32Array.from({ length: 7 }, (_, i) => i * 3),
      polygonPoints: part.triangles,
    };
    const bench = new Bench(plain);
    expect(() => insertLoop({ ...bench.subject, part: plain }, { a: 0, b: 1, share: 0.5 })).toThrow(
      /No quad lies/,
    );
    const edit = insertPoint({ ...bench.subject, part: plain }, { a: 0, b: 1, share: 0.5 });
    const { faces, removed } = edit.edit.values[0].after as unknown as MeshChange;
    expect([faces.length / 3, removed.length]).toEqual([4, 2]);
  });
});

describe('edits one upon another', () => {
  test('a random row of them keeps the surface whole, replays from the file, and undoes to the bit', () => {
    fc.assert(
      fc.property(
        fc.array(fc.tuple(fc.nat(3), fc.nat(1000), fc.integer({ min: 2, max: 98 })), {
          minLength: 1,
          maxLength: 6,
        }),
        (steps) => {
          const bench = new Bench(pipe());
          const first = bench.part;
          const done: MeshEdit[] = [];
          for (const [kind, pick, percent] of steps) {
            const { part } = bench;
            const at = pick % part.polygonPoints.length;
            const id = part.polygonOffsets.findIndex((_, i) => part.polygonOffsets[i + 1] > at);
            const ring = [
              ...part.polygonPoints.subarray(part.polygonOffsets[id], part.polygonOffsets[id + 1]),
            ];
            const [a, b] = [ring[0], ring[1]];
            const place = { a, b, share: percent / 100 };
            let edit: MeshEdit;
            try {
              edit =
                kind === 0
                  ? insertLoop(bench.subject, place)
                  : kind === 1
                    ? insertPoint(bench.subject, place)
                    : kind === 2
                      ? turnEdge(bench.subject, a, b)
                      : takeOutPoints(bench.subject, [a]);
            } catch (error) {
              expect(String(error)).toMatch(/CoreError/);
              continue;
            }
            bench.do(edit);
            done.push(edit);
            const now = bench.part;
            expect(euler(now)).toBe(0);
            for (let p = 0; p < now.pointCount; p++) {
              const sum = influencesOf(bench.rows, p).reduce((all, { weight }) => all + weight, 0);
              expect(Math.abs(sum - 1)).toBeLessThan(1e-6);
            }
          }
          for (const edit of done.reverse()) bench.undo(edit);
          expect(bench.part.triangles).toEqual(first.triangles);
          expect(bench.state.values).toEqual({});
          expect(bench.rows.pointCount).toBe(first.pointCount);
        },
      ),
      { numRuns: 60 },
    );
  });

  test('a point on an edge whose ends are moved at rest is moved as well', () => {
    const bench = new Bench(sheet());
    bench.setValues(
      movedValues(
        0,
        {},
        new Map([
          [6, [0, 0, 1]],
          [7, [0, 0, 3]],
        ]),
      ),
    );
    const edit = insertPoint(bench.subject, { a: 6, b: 7, share: 0.25 });
    bench.do(edit);
    const [p] = edit.added;
    expect(bench.part.positions[p * 3 + 2]).toBeCloseTo(1.5, 6);
    expect(readMoved(readSettings(bench.state.values).moved[0] ?? {}).points).toContain(p);
    bench.undo(edit);
    expect(Object.keys(bench.state.values)).toEqual(['moved/0/0']);
  });
});
