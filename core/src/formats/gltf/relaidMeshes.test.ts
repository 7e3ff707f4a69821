import { describe, expect, test } from '@jest/globals';
import type { Character } from '../../document/character.ts';
import { applyEdit, type DocumentState } from '../../document/document.ts';
import { movedValues } from '../../document/movedPoints.ts';
import { FILE_SHAPES, shapesOf, withShapes } from '../../document/withShapes.ts';
import { insertLoop, takeOutPoints } from '../../operations/mesh/changeMesh.ts';
import { movesOfPoints } from '../../mesh/morphs.ts';
import { weightOf } from '../../weights/rows.ts';
import { openGlb, writeGlb, type GltfContainer } from './container.ts';
import { exportCharacter } from './exportCharacter.ts';
import type { GltfPrimitive } from './gltfJson.ts';
import { decodeGltf, readCharacter } from './readCharacter.ts';
import { relaidMeshes } from './relaidMeshes.ts';
import { putNumbers, testContainer, TEST_POSITIONS } from './testGlb.ts';

const VERTICES = TEST_POSITIONS.length / 3;
const primitiveOf = ({ json }: GltfContainer): GltfPrimitive => (json.meshes ?? [])[0].primitives[0];

/** The strip with normals, texture coordinates, tangents, whole numbers and a shape. */
function richStrip(): GltfContainer {
  const container = testContainer();
  const { attributes } = primitiveOf(container);
  const each = (of: (v: number) => number[]): number[] =>
    Array.from({ length: VERTICES }, (_, v) => of(v)).flat();
  attributes.NORMAL = putNumbers(
    container,
    each(() => [0, 0, 1]),
    'VEC3',
    3,
  );
  attributes.TANGENT = putNumbers(
    container,
    each(() => [1, 0, 0, -1]),
    'VEC4',
    4,
  );
  attributes.TEXCOORD_0 = putNumbers(
    container,
    each((v) => [v % 2, Math.floor(v / 2) / 2]),
    'VEC2',
    2,
  );
  const lift = putNumbers(
    container,
    each((v) => [0, 0, v]),
    'VEC3',
    3,
  );
  primitiveOf(container).targets = [{ POSITION: lift }];
  return container;
}

const stateOf = ({ rows, skeleton }: Character): DocumentState => ({ rows, skeleton, values: {} });

async function laid(
  container: GltfContainer,
  change: (character: Character) => DocumentState,
): Promise<{ out: GltfContainer; read: Character; state: DocumentState }> {
  const character = await readCharacter(container);
  const state = change(character);
  const again = await relaidMeshes(container, character, shapesOf(state.values), {});
  const written = exportCharacter(again.container, again.character, state.rows);
  const out = openGlb(writeGlb(written));
  return { out, read: await readCharacter(out), state };
}

/** A loop a quarter up the strip's lower quad. */
const withLoop = (character: Character): DocumentState => {
  const state = stateOf(character);
  const subject = { part: character.parts[0], index: 0, rows: state.rows[0], values: state.values };
  return applyEdit(state, insertLoop(subject, { a: 0, b: 2, share: 0.25 }).edit);
};

describe('meshes that go out', () => {
  test('a loop goes out with all that its vertices have between their neighbours’, and reads back as it is shown', async () => {
    const { out, read, state } = await laid(richStrip(), withLoop);
    expect(read.parts[0].pointCount).toBe(VERTICES + 2);
    const document = await decodeGltf(out);
    const [primitive] = document.getRoot().listMeshes()[0].listPrimitives();
    const element = (name: string, v: number): number[] =>
      primitive.getAttribute(name)?.getElement(v, []) ?? [];
    const added = [VERTICES, VERTICES + 1];
    for (const v of added) {
      expect(element('POSITION', v)[1]).toBeCloseTo(0.25, 6);
      expect(element('TEXCOORD_0', v)[1]).toBeCloseTo(0.125, 6);
      expect(element('NORMAL', v)).toEqual([0, 0, 1]);
      expect(element('TANGENT', v)).toEqual([1, 0, 0, -1]);
      const [a, b] = element('POSITION', v)[0] === 0 ? [0, 2] : [1, 3];
      expect(primitive.listTargets()[0].getAttribute('POSITION')?.getElement(v, [])[2]).toBeCloseTo(
        0.75 * a + 0.25 * b,
        6,
      );
      const p = read.parts[0].vertexPoint[v];
      expect(weightOf(read.rows[0], p, 1)).toBeCloseTo(0.125, 6);
    }
    const came = await readCharacter(richStrip());
    const shown = withShapes(came, shapesOf(state.values)).parts[0];
    expect([...read.parts[0].positions]).toEqual([...shown.positions]);
    expect(read.parts[0].polygonOffsets.length).toBe(shown.polygonOffsets.length);
    expect((out.json as { extensions?: unknown }).extensions).toEqual({
      EXT_of_somebody: { secret: 7 },
    });
  });

  test('a point that was taken out is loose nowhere: its vertices fall together with a neighbour', async () => {
    const { read } = await laid(richStrip(), (character) => {
      const state = stateOf(character);
      const subject = { part: character.parts[0], index: 0, rows: state.rows[0], values: state.values };
      return applyEdit(state, takeOutPoints(subject, [2]).edit);
    });
    expect(read.parts[0].pointCount).toBe(VERTICES - 1);
    expect(new Set(read.parts[0].triangles).size).toBe(VERTICES - 1);
    // Nobody else is moved as it was.
    const { points, moves } = movesOfPoints(read.morphs[0].targets[0], read.parts[0].vertexPoint);
    const lifts = [...points].map((p, i) => [read.parts[0].positions[p * 3 + 1], moves[i * 3 + 2]]);
    expect(lifts).toEqual(
      expect.arrayContaining([
        [0, 1],
        [1, 3],
        [2, 4],
        [2, 5],
      ]),
    );
    expect(lifts).toHaveLength(4);
  });

  test('a loop that was taken out again leaves the file’s points and shapes', async () => {
    const { read } = await laid(richStrip(), (character) => {
      const state = withLoop(character);
      const part = withShapes(character, shapesOf(state.values)).parts[0];
      const subject = { part, index: 0, rows: state.rows[0], values: state.values };
      return applyEdit(state, takeOutPoints(subject, [VERTICES, VERTICES + 1]).edit);
    });
    const came = await readCharacter(richStrip());
    expect(read.parts[0].pointCount).toBe(VERTICES);
    expect([...read.parts[0].positions]).toEqual([...came.parts[0].positions]);
    expect(read.parts[0].polygonOffsets).toHaveLength(3);
    const shape = movesOfPoints(read.morphs[0].targets[0], read.parts[0].vertexPoint);
    expect(shape).toEqual(movesOfPoints(came.morphs[0].targets[0], came.parts[0].vertexPoint));
  });

  test('points that were moved go out where they are, with normals and tangents turned; all else keeps its bytes', async () => {
    const { out, read } = await laid(richStrip(), (character) => ({
      ...stateOf(character),
      values: movedValues(
        0,
        {},
        new Map([
          [4, [0, 0, 1]],
          [5, [0, 0, 1]],
        ]),
      ),
    }));
    expect([...read.parts[0].positions.subarray(12, 18)]).toEqual([0, 2, 1, 1, 2, 1]);
    const document = await decodeGltf(out);
    const [primitive] = document.getRoot().listMeshes()[0].listPrimitives();
    const normal = primitive.getAttribute('NORMAL')?.getElement(4, []) ?? [];
    const tangent = primitive.getAttribute('TANGENT')?.getElement(4, []) ?? [];
    // The upper quad leans toward the one who looks.
    expect(normal[1]).toBeCloseTo(-Math.SQRT1_2, 5);
    expect(normal[0] * tangent[0] + normal[1] * tangent[1] + normal[2] * tangent[2]).toBeCloseTo(0, 5);
    expect(tangent[3]).toBe(-1);
    expect(primitiveOf(out).attributes.TEXCOORD_0).toBe(primitiveOf(richStrip()).attributes.TEXCOORD_0);
    const [low, high] = [out.json.accessors?.[primitiveOf(out).attributes.POSITION]].map((a) => [
      a?.min,
      a?.max,
    ])[0];
    expect(low).toEqual([0, 0, 0]);
    expect(high).toEqual([1, 2, 1]);
  });

  test('without a change the file is the same object; a change that does not fit is no face, but its points are there', async () => {
    const container = richStrip();
    const character = await readCharacter(container);
    const none = await relaidMeshes(container, character, { meshes: {}, moved: {}, welds: {} }, {});
    expect(none.container).toBe(container);
    const wrong = { from: VERTICES, points: VERTICES + 1, vertices: [], removed: [99], faces: [0, 1, 40] };
    const shown = withShapes(character, { ...FILE_SHAPES, meshes: { 0: wrong } });
    expect(shown.parts[0].pointCount).toBe(VERTICES + 1);
    expect([...shown.parts[0].triangles]).toEqual([...character.parts[0].triangles]);
    expect(shown.rows[0].pointCount).toBe(VERTICES + 1);
  });
});
