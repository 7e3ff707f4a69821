import { describe, expect, test } from '@jest/globals';
import { subdivide } from '@judoka/core/mesh';
import { SmoothSurface } from './SmoothSurface.ts';

/** Two squares beside each other, six points. */
const OFFSETS = Uint32Array.of(0, 4, 8);
const POINTS = Uint32Array.of(0, 1, 4, 3, 1, 2, 5, 4);
const cage = () => ({
  positions: Float32Array.of(0, 0, 0, 1, 0, 0, 2, 0, 0, 0, 1, 0, 1, 1, 0, 2, 1, 0),
  normals: Float32Array.from({ length: 18 }, (_, i) => (i % 3 === 2 ? 1 : 0)),
  weight: Float32Array.of(0, 0.5, 1, 0, 0.5, 1),
  stray: Uint8Array.of(255, 255, 255, 255, 255, 255),
  tint: undefined,
});
const surfaceOf = (levels: number) =>
  new SmoothSurface(subdivide({ offsets: OFFSETS, points: POINTS }, 6, levels));

describe.each([1, 2])('subdivided %i times', (levels) => {
  const surface = surfaceOf(levels);
  const array = (name: string): Float32Array => surface.geometry.getAttribute(name).array as Float32Array;

  test('what is told of the points goes along: places, weights between those of the corners, strays whole', () => {
    const figures = cage();
    surface.update(figures);
    const [places, weights] = [array('position'), array('weight')];
    for (let p = 0; p < weights.length; p++) {
      expect(places[p * 3 + 2]).toBe(0);
      // Weight runs along x as the places do.
      expect(weights[p]).toBeCloseTo(places[p * 3] / 2, 5);
      expect(array('stray')[p]).toBeCloseTo(1, 5);
    }
    for (let k = 0; k < figures.positions.length; k++) figures.positions[k] += k % 3 === 2 ? 3 : 0;
    surface.update(figures);
    for (let p = 0; p < weights.length; p++) expect(places[p * 3 + 2]).toBeCloseTo(3, 5);
  });

  test('each square is drawn whole, and not at all where one of its points is hidden', () => {
    const triangles = (): number => (surface.geometry.getIndex()?.count ?? 0) / 3;
    expect(triangles()).toBe(2 * 4 ** levels * 2);
    surface.setHidden(Uint8Array.of(1, 0, 0, 0, 0, 0), OFFSETS, POINTS);
    expect(triangles()).toBe(4 ** levels * 2);
    surface.setHidden(Uint8Array.of(0, 1, 0, 0, 0, 0), OFFSETS, POINTS);
    expect(triangles()).toBe(0);
    surface.setHidden(undefined, OFFSETS, POINTS);
    expect(triangles()).toBe(2 * 4 ** levels * 2);
  });
});
