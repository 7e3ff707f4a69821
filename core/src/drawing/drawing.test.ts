import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { controlTriangles } from './controlMesh.ts';
import { handleOwners, segmentsOf, vertexCountOf, type Layer, type Shape } from './drawing.ts';
import { fillShape } from './fillMesh.ts';
import { isInside } from './inside.ts';
import { LayerMesh } from './layerMesh.ts';
import { solveMembrane } from './membrane.ts';
import { placeSamples, sampleShape } from './samples.ts';

/** How a circle of radius 1 is made of four curves. */
const ROUND = (4 / 3) * (Math.SQRT2 - 1);
const circle = (radius: number): number[] =>
  [
    [1, 0],
    [1, ROUND],
    [ROUND, 1],
    [0, 1],
    [-ROUND, 1],
    [-1, ROUND],
    [-1, 0],
    [-1, -ROUND],
    [-ROUND, -1],
    [0, -1],
    [ROUND, -1],
    [1, -ROUND],
  ].flatMap(([x, y]) => [x * radius, y * radius, 0]);
const ringPlaces = Float32Array.from([...circle(2), ...circle(1)]);
const ring: Shape = {
  outlines: [
    { first: 0, segments: 'CCCC', closed: true },
    { first: 12, segments: 'CCCC', closed: true },
  ],
  fillRule: 'evenodd',
};
const ringLayer: Layer = { name: 'ring', shapes: [ring] };

const areaOf = (places: Float32Array, triangles: Uint32Array): number => {
  let sum = 0;
  for (let t = 0; t < triangles.length; t += 3) {
    const [a, b, c] = [triangles[t] * 2, triangles[t + 1] * 2, triangles[t + 2] * 2];
    sum += Math.abs(
      (places[b] - places[a]) * (places[c + 1] - places[a + 1]) -
        (places[c] - places[a]) * (places[b + 1] - places[a + 1]),
    );
  }
  return sum / 2;
};

describe('outlines', () => {
  test('name their vertices, the last segment of a closed one leading back', () => {
    const outline = { first: 4, segments: 'LCL', closed: true };
    expect(segmentsOf(outline)).toEqual([
      [4, 5],
      [5, 6, 7, 8],
      [8, 4],
    ]);
    expect(vertexCountOf(outline)).toBe(5);
    expect(vertexCountOf({ ...outline, closed: false })).toBe(6);
    expect([
      ...handleOwners({ name: '', shapes: [{ outlines: [outline], fillRule: 'nonzero' }] }, 9),
    ]).toEqual([0, 0, 0, 0, 0, 0, 6, 9, 0]);
  });

  test('places along a curve lie on it, as near as asked', () => {
    const samples = sampleShape(ring, ringPlaces, 0.2);
    const places = new Float32Array(samples.count * 2);
    placeSamples(samples, ringPlaces, places);
    for (let k = 0; k < samples.lines[1]; k++)
      expect(Math.hypot(places[k * 2], places[k * 2 + 1])).toBeCloseTo(2, 2);
    for (let s = 0; s < samples.count; s++)
      expect(samples.shares.subarray(s * 4, s * 4 + 4).reduce((a, b) => a + b)).toBeCloseTo(1, 6);
  });
});

describe('filled shapes', () => {
  test('a ring is filled between its outlines', () => {
    const { rest, triangles } = fillShape(ring, ringPlaces, 0.2);
    expect(areaOf(rest, triangles)).toBeCloseTo(3 * Math.PI, 0);
    const lines = { places: rest, lines: sampleShape(ring, ringPlaces, 0.2).lines };
    expect([0, 1.5, 2.5].map((x) => isInside(lines, x, 0.01, 'evenodd'))).toEqual([false, true, false]);
    expect(isInside(lines, 0, 0, 'nonzero')).toBe(true);
  });

  test('the inside follows as a membrane: any even movement of the outline is one of all', () => {
    const mesh = fillShape(ring, ringPlaces, 0.25);
    const still = mesh.rest.slice();
    for (const axis of [0, 1]) solveMembrane(mesh.membrane, still, 2, axis);
    const number = fc.float({ min: -2, max: 2, noNaN: true });
    fc.assert(
      fc.property(number, number, number, number, number, number, (a, b, c, d, e, f) => {
        const moved = mesh.rest.slice();
        const map = (x: number, y: number): [number, number] => [a * x + c * y + e, b * x + d * y + f];
        for (let k = 0; k < mesh.samples.count; k++) moved.set(map(still[k * 2], still[k * 2 + 1]), k * 2);
        for (const axis of [0, 1]) solveMembrane(mesh.membrane, moved, 2, axis);
        for (let k = 0; k < mesh.count; k++) {
          const [x, y] = map(still[k * 2], still[k * 2 + 1]);
          expect(Math.hypot(moved[k * 2] - x, moved[k * 2 + 1] - y)).toBeLessThan(1e-4);
        }
      }),
      { numRuns: 20 },
    );
  });

  test('all vertices are joined by triangles that face the viewer', () => {
    const triangles = controlTriangles(ringLayer, ringPlaces);
    expect(new Set(triangles).size).toBe(24);
    for (let t = 0; t < triangles.length; t += 3) {
      const [a, b, c] = [triangles[t] * 3, triangles[t + 1] * 3, triangles[t + 2] * 3];
      const area =
        (ringPlaces[b] - ringPlaces[a]) * (ringPlaces[c + 1] - ringPlaces[a + 1]) -
        (ringPlaces[c] - ringPlaces[a]) * (ringPlaces[b + 1] - ringPlaces[a + 1]);
      expect(area).toBeGreaterThanOrEqual(0);
    }
  });
});

describe('strokes', () => {
  const paint = { colour: '#123456', opacity: 1 };
  const page = { page: [0, 0, 10, 10], scale: 1 } as const;
  const areaOfStroke = (
    places: number[],
    segments: string,
    closed: boolean,
    cap: 'butt' | 'square',
  ): number => {
    const positions = Float32Array.from(places);
    const vertexCount = positions.length / 3;
    const layer: Layer = {
      name: 'line',
      shapes: [
        {
          outlines: [{ first: 0, segments, closed }],
          fillRule: 'nonzero',
          stroke: { paint, width: 0.5, cap, join: 'miter' },
        },
      ],
    };
    const part = {
      positions,
      vertexCount,
      vertexPoint: Uint32Array.from({ length: vertexCount }, (_, v) => v),
    };
    // Longer sides than the stroke is wide: nearer to a corner strips would lie over one another.
    const mesh = new LayerMesh(layer, part, page, 1);
    const laid = new Float32Array(mesh.count * 3);
    mesh.place(positions, laid);
    expect(mesh.pieces).toEqual([
      { paint, from: 0, count: mesh.count, firstTriangle: 0, triangleCount: mesh.triangles.length / 3 },
    ]);
    expect([...mesh.colours.subarray(0, 4)]).toEqual([0x12, 0x34, 0x56, 255]);
    const flat = Float32Array.from({ length: mesh.count * 2 }, (_, k) => laid[(k >> 1) * 3 + (k % 2)]);
    return areaOf(flat, mesh.triangles);
  };

  test('a straight line is as wide as it says, and reaches on where its ends are square', () => {
    expect(areaOfStroke([0, 0, 0, 3, 4, 0], 'L', false, 'butt')).toBeCloseTo(2.5, 5);
    expect(areaOfStroke([0, 0, 0, 3, 4, 0], 'L', false, 'square')).toBeCloseTo(2.75, 5);
  });

  test('a closed square keeps its sides parallel at the corners', () => {
    const square = [0, 0, 0, 4, 0, 0, 4, 4, 0, 0, 4, 0];
    expect(areaOfStroke(square, 'LLLL', true, 'butt')).toBeCloseTo(4.5 ** 2 - 3.5 ** 2, 4);
  });
});
