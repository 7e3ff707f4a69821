import { describe, expect, test } from '@jest/globals';
import { recoverQuads } from '../../mesh/quads.ts';
import { findNeighbours } from '../../mesh/topology.ts';
import { grid } from '../../testing/shapes.ts';
import { gatherDab, type DabPlace, type Depth } from './dabPoints.ts';
import { createFootprintWorkspace } from './brushFootprint.ts';

const SIDE = 20;
const flat = grid(SIDE, SIDE);
const neighbours = findNeighbours(recoverQuads(flat.triangles, flat.positions), flat.positions.length / 3);
const count = flat.positions.length / 3;
const at = (x: number, y: number): number => y * (SIDE + 1) + x;

/** A sheet folded over the line x = 10, the upper half a little above the lower one: lips that nearly touch. */
function folded(): { positions: Float32Array; normals: Float32Array } {
  const positions = flat.positions.slice();
  const normals = new Float32Array(positions.length);
  for (let p = 0; p < count; p++) {
    const x = positions[p * 3];
    const upper = x > 10;
    positions[p * 3] = upper ? 20 - x : x;
    positions[p * 3 + 2] = upper ? 0.5 : 0;
    normals[p * 3 + 2] = upper ? 1 : -1;
  }
  return { positions, normals };
}

function dab(depth: Depth, radius = 3): Map<number, number> {
  const { positions, normals } = folded();
  const list = new Uint32Array(count);
  const amounts = new Float32Array(count);
  const seed = at(16, 10);
  const place: DabPlace = {
    centre: [positions[seed * 3], positions[seed * 3 + 1], positions[seed * 3 + 2]],
    radius,
    falloff: 'linear',
    depth,
    sight: [0, 0, -1],
  };
  const surface = { positions, normals, neighbours };
  const found = gatherDab(
    surface,
    [seed, at(17, 10), at(16, 11)],
    place,
    createFootprintWorkspace(count),
    list,
    amounts,
  );
  return new Map(Array.from({ length: found }, (_, i) => [list[i], amounts[i]]));
}

describe('what a dab reaches', () => {
  test('along the surface: never the other lip, however near it lies', () => {
    const met = dab('surface');
    expect(met.size).toBeGreaterThan(10);
    for (const p of met.keys()) expect(flat.positions[p * 3]).toBeGreaterThan(10);
  });

  test('along the surface it fades with the way, not with the straight distance', () => {
    // Around the fold the way from (12, 10) to (8, 10) is four, through the air half.
    const { positions, normals } = folded();
    const list = new Uint32Array(count);
    const amounts = new Float32Array(count);
    const seed = at(12, 10);
    const place: DabPlace = {
      centre: [positions[seed * 3], positions[seed * 3 + 1], positions[seed * 3 + 2]],
      radius: 3,
      falloff: 'linear',
      depth: 'surface',
      sight: [0, 0, -1],
    };
    const found = gatherDab(
      { positions, normals, neighbours },
      [seed],
      place,
      createFootprintWorkspace(count),
      list,
      amounts,
    );
    const met = new Map(Array.from({ length: found }, (_, i) => [list[i], amounts[i]]));
    expect(met.has(at(8, 10))).toBe(false);
    expect(met.get(at(11, 10)) as number).toBeGreaterThan(met.get(at(10, 10)) as number);
    expect(met.get(seed)).toBe(1);
  });

  test('facing: both lips are near, one of them looks at the eye', () => {
    const met = dab('facing');
    expect(met.size).toBeGreaterThan(10);
    for (const p of met.keys()) expect(flat.positions[p * 3]).toBeGreaterThan(10);
  });

  test('through: all within the radius', () => {
    const met = dab('through');
    expect([...met.keys()].some((p) => flat.positions[p * 3] < 10)).toBe(true);
    for (const amount of met.values()) expect(amount).toBeGreaterThan(0);
  });

  test('a radius of next to nothing reaches next to nothing, one larger than the model all of it', () => {
    // But for the point that lies at the very centre.
    expect(dab('through', 1e-9).size).toBe(1);
    expect(dab('through', 100).size).toBe(count);
  });
});
