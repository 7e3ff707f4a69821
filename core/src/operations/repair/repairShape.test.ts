import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { checkInput, checkUp } from '../../analysis/checkUp/checkUp.ts';
import type { Character } from '../../document/character.ts';
import { withWelds } from '../../document/withWelds.ts';
import { noSourceWeights } from '../../formats/gltf/readWeights.ts';
import { findIslands, findNeighbours } from '../../mesh/topology.ts';
import { proposeWeld, weldNear } from '../../mesh/weldNear.ts';
import { partOf, skeletonOf, tube } from '../../testing/testBody.ts';
import { apply, invert } from '../../weights/delta.ts';
import { copyRows, createRows, rowSum } from '../../weights/rows.ts';
import { repairShape } from './repairShape.ts';

const PLACES = [0, 4, 8].map((x) => [x, 0, 0] as const);
const NO_LOCKS = new Uint8Array(3);

/** A tube whose triangles have come apart: each with corners of its own, moved by up to `gap`. */
function cameApart(gap: number, random: (i: number) => number): Character {
  const { positions, triangles } = tube(0, 9, 0, 0, { rings: 15, around: 10, capped: false });
  const apart = triangles.flatMap((p, i) =>
    [0, 1, 2].map((k) => positions[p * 3 + k] + (gap / 2) * random(i * 3 + k)),
  );
  const part = partOf('soup', apart, [...triangles.keys()], PLACES);
  const rows = createRows(part.pointCount);
  triangles.forEach((_, p) => {
    rows.joints[p * 8] = p % 2;
    rows.values[p * 8] = 1;
  });
  return {
    parts: [part],
    skeleton: skeletonOf(PLACES.map((place, i) => [`j${i}`, i - 1, place])),
    rows: [rows],
    sourceWeights: [{ ...noSourceWeights(part.pointCount), asCame: new Uint8Array(part.pointCount).fill(1) }],
    clips: [],
    morphs: [],
    plainNodes: [],
    materialCount: 0,
    notes: [],
  };
}

const islandsOf = ({ parts: [part] }: Character): number => {
  const polygons = { offsets: part.polygonOffsets, points: part.polygonPoints };
  const { ofPoint } = findIslands(findNeighbours(polygons, part.pointCount));
  return new Set(Array.from(part.triangles, (p) => ofPoint[p])).size;
};
const wobble = (i: number): number => Math.sin(12.9898 * i);

describe('a mesh that has come apart', () => {
  test('hangs together within the distance that it tells itself; vertices keep their places', () => {
    const character = cameApart(0.02, wobble);
    expect(islandsOf(character)).toBeGreaterThan(200);
    const distance = proposeWeld(character.parts[0]);
    expect(distance).toBeGreaterThan(0.01);
    expect(distance).toBeLessThan(0.06);
    const welded = withWelds(character, { 0: distance });
    expect(islandsOf(welded)).toBe(1);
    expect(welded.parts[0].triangles).toHaveLength(character.parts[0].triangles.length);
    expect(welded.parts[0].positions).toBe(character.parts[0].positions);
    // 15 rings of 10 points.
    expect(new Set(welded.parts[0].vertexPoint).size).toBe(150);
  });

  test('the repair makes what becomes one alike, its finding is gone, and undo gives back every bit', () => {
    fc.assert(
      fc.property(fc.double({ min: 0.001, max: 0.03, noNaN: true }), fc.nat(99), (gap, seed) => {
        const character = cameApart(gap, (i) => wobble(i + 37 * seed));
        const found = checkUp(character, {}).filter(({ code }) => code === 'loose-triangles');
        expect(found[0]?.repair).toMatch(/become one/);
        const rows = copyRows(character.rows[0]);
        const input = checkInput(character, { rows: [rows] });
        const { welds, change } = repairShape(input, found, NO_LOCKS);
        apply([rows], change);
        const standsFor = weldNear(character.parts[0], welds[0]);
        standsFor.forEach((point, p) => {
          expect(rowSum(rows, p)).toBeCloseTo(1, 5);
          for (let k = 0; k < 8; k++) expect(rows.values[p * 8 + k]).toBe(rows.values[point * 8 + k]);
        });
        const codes = checkUp(withWelds(character, welds), { rows: [rows] }).map(({ code }) => code);
        expect(codes).not.toContain('loose-triangles');
        expect(codes).not.toContain('loose-points');
        expect(repairShape({ ...input, rows: [rows] }, found, NO_LOCKS).change).toEqual([]);
        apply([rows], invert(change));
        expect(rows).toEqual(character.rows[0]);
      }),
      { numRuns: 4 },
    );
  });

  test('pieces that were never one are left alone', () => {
    const far = cameApart(0, () => 0);
    // Every triangle half an edge away from all others.
    const positions = far.parts[0].positions.map((x, i) => x + (i % 3 === 2 ? 3 * Math.floor(i / 9) : 0));
    expect(proposeWeld({ ...far.parts[0], positions })).toBe(0);
  });

  test.each([1e9, 1e-300])('a distance of %d neither hangs nor melts the mesh down', (distance) => {
    const { parts } = withWelds(cameApart(0.02, wobble), { 0: distance });
    expect(new Set(parts[0].vertexPoint).size).toBeGreaterThanOrEqual(150);
  });

  test('corners of one triangle never become one', () => {
    const character = cameApart(0.01, wobble);
    const standsFor = weldNear(character.parts[0], 1);
    const { triangles } = character.parts[0];
    for (let t = 0; t < triangles.length; t += 3)
      expect(new Set([0, 1, 2].map((k) => standsFor[triangles[t + k]])).size).toBe(3);
  });
});
