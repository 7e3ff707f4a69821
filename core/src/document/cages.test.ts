import { describe, expect, test } from '@jest/globals';
import { restoreDocument } from '../operations/rescue/restoreDocument.ts';
import { partOf, skeletonOf, tube } from '../testing/testBody.ts';
import { rowsFrom } from '../testing/shapes.ts';
import { DeltaBuilder } from '../weights/delta.ts';
import { createRows, weightOf } from '../weights/rows.ts';
import { readCage, type SavedCage, savedCage } from './cages.ts';
import type { Character } from './character.ts';
import { applyEdit, type DocumentState } from './document.ts';
import { type Edit, editOf, invertEdit } from './edit.ts';
import { partPath } from './paths.ts';
import { rebaseEdit } from './rebase.ts';
import { changeValues } from './values.ts';
import { FILE_SHAPES, shapesOf, withShapes } from './withShapes.ts';

const CORNERS = Float32Array.from(
  Array.from({ length: 8 }, (_, p) => [p & 1, (p >> 1) & 1, p >> 2].map((k) => 4 * k - 2)).flat(),
);
const SIDES = Uint32Array.of(0, 2, 3, 1, 4, 5, 7, 6, 0, 1, 5, 4, 2, 6, 7, 3, 0, 4, 6, 2, 1, 3, 7, 5);
const CUBE = savedCage(0, CORNERS, SIDES);

const PLACES = [
  [-4, 0, 0],
  [0, 0, 0],
] as const;
const { positions, triangles } = tube(-1, 1, 0, 0, {});
const part = partOf('tube', positions, triangles, PLACES);
const came: Character = {
  ...{ parts: [part], clips: [], morphs: [], plainNodes: [], materialCount: 0, notes: [] },
  rows: [rowsFrom(Array.from({ length: part.pointCount }, () => ({ 0: 1 })))],
  skeleton: skeletonOf([
    ['upper', -1, PLACES[0]],
    ['lower', 0, PLACES[1]],
  ]),
  sourceWeights: [],
};
const begun = (): DocumentState => ({
  rows: came.rows.map((rows) => ({ ...rows, values: rows.values.slice(), joints: rows.joints.slice() })),
  skeleton: came.skeleton,
  values: {},
});

/** The edit that gives a part points, and all of them to a joint; or takes it away. */
function cageEdit(state: DocumentState, number: number, cage: SavedCage | null, joint = 1): Edit {
  const held = state.rows.at(number);
  const count = held?.pointCount ?? CUBE.points;
  const before = held ?? createRows(count);
  const after = cage ? rowsFrom(Array.from({ length: count }, () => ({ [joint]: 1 }))) : createRows(count);
  const builder = new DeltaBuilder(number, before.stride, count);
  for (let p = 0; p < count; p++) builder.push(p, before, p, after, p);
  return editOf({
    values: changeValues(state.values, { [partPath(number, 'cage')]: cage as never }),
    weights: [builder.finish()],
  });
}

const laid = (state: DocumentState): Character => withShapes(came, shapesOf(state.values));

describe('a cage that was made', () => {
  test('is kept as it is, and read from damaged text as far as it goes', () => {
    expect(readCage(CUBE)).toEqual({ positions: CORNERS, quads: SIDES });
    const cut = readCage({ ...CUBE, places: CUBE.places.slice(0, 40), quads: CUBE.quads.slice(0, 30) });
    expect(cut.positions).toHaveLength(24);
    expect([...cut.positions.subarray(0, 7)]).toEqual([...CORNERS.subarray(0, 7)]);
    expect([...cut.quads]).toEqual([...SIDES.subarray(0, 8)]);
    expect(readCage({ ...CUBE, points: 5 }).quads.every((p) => p < 5)).toBe(true);
  });

  test('is a part behind those of the file, bound as one of them, that has quads and no name in the file', () => {
    const { parts, rows, sourceWeights } = withShapes(came, { ...FILE_SHAPES, cages: { 1: CUBE } });
    expect(parts).toHaveLength(2);
    expect(parts[0]).toBe(part);
    expect(parts[1]).toMatchObject({ role: 'cage', pointCount: 8, vertexCount: 8 });
    expect(parts[1].inverseBinds).toBe(part.inverseBinds);
    expect([...parts[1].polygonPoints]).toEqual([...SIDES]);
    expect(parts[1].triangles).toHaveLength(36);
    expect([...parts[1].normals.subarray(0, 3)].every((n) => n < -0.5)).toBe(true);
    expect([rows[1].pointCount, sourceWeights[0].asCame.length]).toEqual([8, 8]);
  });

  test('is a part without points where it is gone and a later one is not', () => {
    const { parts } = withShapes(came, { ...FILE_SHAPES, cages: { 3: CUBE } });
    expect(parts.map(({ pointCount }) => pointCount)).toEqual([part.pointCount, 0, 0, 8]);
  });

  test('comes and goes as an edit: rows and parts are the same in number whatever is done and undone', () => {
    let state = begun();
    const edits: Edit[] = [];
    const run = (edit: Edit): void => {
      state = applyEdit(state, edit);
      edits.push(edit);
      expect(state.rows.map(({ pointCount }) => pointCount)).toEqual(
        laid(state).parts.map(({ pointCount }) => pointCount),
      );
    };
    run(cageEdit(state, 1, CUBE));
    run(cageEdit(state, 2, CUBE, 0));
    expect(weightOf(state.rows[1], 7, 1)).toBe(1);
    run(cageEdit(state, 1, null));
    expect(state.rows.map(({ pointCount }) => pointCount)).toEqual([part.pointCount, 0, 8]);
    run(cageEdit(state, 2, null));
    expect(state.rows).toHaveLength(1);
    for (const edit of edits.reverse()) state = applyEdit(state, invertEdit(edit));
    expect(state).toEqual(begun());
  });

  test('is refused over a part of the file, and with too many numbers left out before it', () => {
    expect(() => applyEdit(begun(), cageEdit(begun(), 80, CUBE))).toThrow(/part 81/);
    const over = editOf({ values: changeValues({}, { [partPath(0, 'cage')]: CUBE as never }) });
    expect(() => applyEdit(begun(), over)).toThrow(/part 1/);
  });

  test('of two people’s at once the first stays; what the other did to one that is gone is passed over', () => {
    const mine = cageEdit(begun(), 1, CUBE, 1);
    const theirs = applyEdit(
      begun(),
      cageEdit(
        begun(),
        1,
        savedCage(
          0,
          CORNERS.map((x) => 2 * x),
          SIDES,
        ),
        0,
      ),
    );
    const numbers = new Map<number, number>();
    const { edit } = rebaseEdit(theirs, mine, numbers);
    const both = applyEdit(theirs, edit);
    expect(both.values).toEqual(theirs.values);
    expect(weightOf(both.rows[1], 0, 0)).toBe(1);
    const painted = { ...mine, values: [] };
    const gone = rebaseEdit(begun(), painted, numbers).edit;
    expect(applyEdit(begun(), gone)).toEqual(begun());
  });

  test('comes back with a moment, and goes with one from before it', () => {
    const before = begun();
    const after = applyEdit(begun(), cageEdit(before, 1, CUBE));
    expect(applyEdit(after, restoreDocument(after, before))).toEqual(before);
    expect(applyEdit(begun(), restoreDocument(before, after))).toEqual(after);
  });
});
