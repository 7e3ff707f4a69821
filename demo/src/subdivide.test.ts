import { describe, expect, test } from '@jest/globals';
import { Cage, type Ring } from './cage.ts';
import { meshOfCage, subdivide, type QuadMesh } from './subdivide.ts';

const UV = [0, 0, 0.2, 0.2] as const;

/** A cube from −1 to 1: a ring of four at each end, closed. */
function cube(): Cage {
  const cage = new Cage();
  const ring = (z: number): Ring => ({
    centre: [0, 0, z],
    side: [1, 0, 0],
    radii: [Math.SQRT2, Math.SQRT2],
    shares: z < 0 ? { a: 1 } : { b: 1 },
    along: [0, 0, 1],
  });
  const made = cage.loft([ring(-1), ring(1)], 4, UV);
  cage.close(made.rings[0], UV, false);
  cage.close(made.rings[1], UV, true);
  return cage;
}

const place = ({ width, data }: QuadMesh, p: number): number[] => [
  ...data.subarray(p * width, p * width + 3),
];

/** Every edge run once each way: closed, and all faces turned alike. */
function isClosed({ quads }: QuadMesh): boolean {
  const edges = new Set<string>();
  for (let s = 0; s < quads.length; s++) edges.add(`${quads[s]} ${quads[s % 4 === 3 ? s - 3 : s + 1]}`);
  return (
    edges.size === quads.length && [...edges].every((edge) => edges.has(edge.split(' ').reverse().join(' ')))
  );
}

/** Six times the volume enclosed; positive where faces look outward. */
function volume(mesh: QuadMesh): number {
  let sum = 0;
  for (let q = 0; q < mesh.quads.length; q += 4) {
    const [a, b, c, d] = [0, 1, 2, 3].map((k) => place(mesh, mesh.quads[q + k]));
    for (const [u, v, w] of [
      [a, b, c],
      [a, c, d],
    ]) {
      sum +=
        u[0] * (v[1] * w[2] - v[2] * w[1]) +
        u[1] * (v[2] * w[0] - v[0] * w[2]) +
        u[2] * (v[0] * w[1] - v[1] * w[0]);
    }
  }
  return sum;
}

describe('cages', () => {
  test('a lofted and closed cube is closed and looks outward', () => {
    const mesh = meshOfCage(cube().finish(), ['a', 'b']);
    expect(mesh.quads.length / 4).toBe(6);
    expect(isClosed(mesh)).toBe(true);
    expect(volume(mesh) / 6).toBeCloseTo(8, 9);
  });

  test('a tube pulled out of a face leaves it closed', () => {
    const cage = cube();
    const rings = [1.5, 2].map((z) => ({
      centre: [0, 0, z] as const,
      side: [1, 0, 0] as const,
      radii: [0.5, 0.5] as const,
      shares: { b: 1 },
    }));
    const end = cage.faces.length - 1;
    const pulled = cage.pull([end], rings, UV);
    cage.close(pulled.rings[2], UV, true);
    const mesh = meshOfCage(cage.finish(), ['a', 'b']);
    expect(isClosed(mesh)).toBe(true);
    expect(volume(mesh) / 6).toBeGreaterThan(8);
  });

  test('a share of a joint that does not exist is refused by name', () => {
    expect(() => meshOfCage(cube().finish(), ['a'])).toThrow(/“b”/);
  });
});

describe('Catmull–Clark', () => {
  test('a cube: faces to their middles, edges and corners as Catmull and Clark give them', () => {
    const mesh = meshOfCage(cube().finish(), ['a', 'b']);
    const smooth = subdivide(mesh);
    expect(smooth.quads.length / 4).toBe(24);
    expect(smooth.data.length / smooth.width).toBe(8 + 6 + 12);
    const lengths = Array.from({ length: 26 }, (_, p) => Math.hypot(...place(smooth, p)));
    // Corner (F + 2R)/3 = 5/9 of its place; face point 1; edge point (0.75, 0.75).
    for (let p = 0; p < 8; p++) expect(lengths[p]).toBeCloseTo((5 / 9) * Math.sqrt(3), 9);
    for (let p = 8; p < 14; p++) expect(lengths[p]).toBeCloseTo(1, 9);
    for (let p = 14; p < 26; p++) expect(lengths[p]).toBeCloseTo(0.75 * Math.SQRT2, 9);
    expect(isClosed(smooth)).toBe(true);
  });

  test('weights go by the same rule and sum to one everywhere', () => {
    let mesh = meshOfCage(cube().finish(), ['a', 'b']);
    for (let level = 0; level < 3; level++) mesh = subdivide(mesh);
    for (let p = 0; p < mesh.data.length / mesh.width; p++) {
      expect(mesh.data[p * 5 + 3] + mesh.data[p * 5 + 4]).toBeCloseTo(1, 9);
    }
  });

  test('on a border only the border counts', () => {
    // One row of three squares: the points between them move along the border alone.
    const cage = new Cage();
    const low = [0, 1, 2, 3].map((x) => cage.addPoint([x, x === 1 ? 0.8 : 0, 0], { a: 1 }));
    const high = [0, 1, 2, 3].map((x) => cage.addPoint([x, 2, 0], { a: 1 }));
    const corner = [0, 0] as const;
    for (let i = 0; i < 3; i++)
      cage.addFace([low[i], low[i + 1], high[i + 1], high[i]], [corner, corner, corner, corner]);
    const smooth = subdivide(meshOfCage(cage.finish(), ['a']));
    expect(place(smooth, low[1])[1]).toBeCloseTo(0.75 * 0.8, 9);
    expect(place(smooth, low[2])[1]).toBeCloseTo(0.125 * 0.8, 9);
    expect(place(smooth, low[0])).toEqual([0, 0, 0]);
  });
});
