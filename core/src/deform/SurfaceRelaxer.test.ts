import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { mat4, vec3 } from 'gl-matrix';
import { createPlainMemory } from '../memory/kernelMemory.ts';
import { computeNormals } from '../mesh/normals.ts';
import { findNeighbours } from '../mesh/topology.ts';
import { grid } from '../testing/shapes.ts';
import { tube } from '../testing/testBody.ts';
import { DEFAULT_RELAXING, type Relaxing, type RelaxMesh, SurfaceRelaxer } from './SurfaceRelaxer.ts';

function meshOf(shape: { positions: ArrayLike<number>; triangles: ArrayLike<number> }): RelaxMesh {
  const positions = Float32Array.from(shape.positions);
  const triangles = Uint32Array.from(shape.triangles);
  const pointCount = positions.length / 3;
  const offsets = Uint32Array.from({ length: triangles.length / 3 + 1 }, (_, t) => t * 3);
  return {
    pointCount,
    triangles,
    neighbours: findNeighbours({ offsets, points: triangles }, pointCount),
    rest: positions,
    restNormals: computeNormals(positions, triangles),
  };
}

const body = meshOf(tube(-4, 4, 0, 0));
const sheet = meshOf(grid(12, 9));
const relaxed = await SurfaceRelaxer.create(body, DEFAULT_RELAXING);

/** Where the surface is when all with x above zero turns about z, hard. */
function bent({ rest, restNormals }: RelaxMesh, angle: number): [Float32Array, Float32Array] {
  const [positions, normals] = [rest.slice(), restNormals.slice()];
  const turn = mat4.fromZRotation(mat4.create(), angle);
  for (let p = 0; p < rest.length; p += 3) {
    if (rest[p] <= 0) continue;
    positions.set(vec3.transformMat4(vec3.create(), [...rest.subarray(p, p + 3)] as vec3, turn), p);
    normals.set(vec3.transformMat4(vec3.create(), [...restNormals.subarray(p, p + 3)] as vec3, turn), p);
  }
  return [positions, normals];
}

/** The farthest that any number is off. */
const apart = (a: Float32Array, b: Float32Array): number =>
  a.reduce((most, x, i) => Math.max(most, Math.abs(x - b[i])), 0);

const ways = fc.record({
  passes: fc.integer({ min: 1, max: 12 }),
  strength: fc.double({ min: 0, max: 1, noNaN: true }),
  keepsVolume: fc.boolean(),
});
const angle = fc.double({ min: -3, max: 3, noNaN: true });

test.each([
  ['a tube', body],
  ['an open sheet', sheet],
])('%s at rest, turned and moved as a whole is where it was', async (_name, mesh) => {
  const relaxer = await SurfaceRelaxer.create(mesh, DEFAULT_RELAXING);
  fc.assert(
    fc.property(ways, angle, angle, (relaxing, about, move) => {
      relaxer.relaxing = relaxing;
      const place = mat4.fromTranslation(mat4.create(), [move, -move, 2 * move]);
      mat4.rotateX(place, place, about);
      mat4.rotateY(place, place, -2 * about);
      const turn = mat4.clone(place);
      [turn[12], turn[13], turn[14]] = [0, 0, 0];
      const [positions, normals] = [mesh.rest.slice(), mesh.restNormals.slice()];
      for (let p = 0; p < positions.length; p += 3) {
        vec3.transformMat4(positions.subarray(p, p + 3), positions.subarray(p, p + 3), place);
        vec3.transformMat4(normals.subarray(p, p + 3), normals.subarray(p, p + 3), turn);
      }
      const [as, normalsAs] = [positions.slice(), normals.slice()];
      relaxer.relaxAll(positions, normals);
      expect(apart(positions, as)).toBeLessThan(2e-5);
      expect(apart(normals, normalsAs)).toBeLessThan(1e-4);
    }),
    { numRuns: 40 },
  );
});

describe('a tube that is bent hard', () => {
  test('is changed as far as the passes reach, and not beyond', () => {
    relaxed.relaxing = { ...DEFAULT_RELAXING, passes: 3 };
    const [positions, normals] = bent(body, 1.4);
    const as = positions.slice();
    relaxed.relaxAll(positions, normals);
    const edge = Math.max(...body.rest.filter((x, i) => i % 3 === 0 && x <= 0));
    const far = [...body.rest.keys()].filter(
      (i) => i % 3 === 0 && Math.abs(body.rest[i] - edge) > 2.5 && Math.abs(body.rest[i]) < 3.5,
    );
    expect(far.length).toBeGreaterThan(0);
    for (const i of far)
      expect(apart(positions.subarray(i, i + 3), as.subarray(i, i + 3))).toBeLessThan(2e-5);
    expect(apart(positions, as)).toBeGreaterThan(0.1);
  });

  test('has shorter steps than when it was skinned, the shorter the more passes', () => {
    const longest = (passes: number): number => {
      const [positions, normals] = bent(body, 1.4);
      if (passes > 0) {
        relaxed.relaxing = { ...DEFAULT_RELAXING, passes };
        relaxed.relaxAll(positions, normals);
      }
      let most = 0;
      for (let p = 0; p < body.pointCount; p++)
        for (let n = body.neighbours.offsets[p]; n < body.neighbours.offsets[p + 1]; n++) {
          const q = body.neighbours.points[n];
          const length = (places: Float32Array): number =>
            Math.hypot(...[0, 1, 2].map((k) => places[p * 3 + k] - places[q * 3 + k]));
          most = Math.max(most, length(positions) / length(body.rest));
        }
      return most;
    };
    const [none, few, many] = [0, 2, 10].map(longest);
    expect(few).toBeLessThan(0.9 * none);
    expect(many).toBeLessThan(few);
  });

  test('strength is the share of the way from skinned to relaxed', () => {
    const [as, asNormals] = bent(body, 1);
    const at = (strength: number): Float32Array => {
      relaxed.relaxing = { ...DEFAULT_RELAXING, strength };
      const positions = as.slice();
      relaxed.relaxAll(positions, asNormals.slice());
      return positions;
    };
    const [none, half, whole] = [0, 0.5, 1].map(at);
    expect(none).toEqual(as);
    expect(
      apart(
        half,
        whole.map((x, i) => (x + as[i]) / 2),
      ),
    ).toBeLessThan(1e-5);
  });

  test('taking back what passes shrink keeps more of its girth', () => {
    const girth = (relaxing: Relaxing): number => {
      relaxed.relaxing = relaxing;
      const [positions, normals] = bent(body, 1.4);
      relaxed.relaxAll(positions, normals);
      // The volume under the surface, by the divergence theorem; the ends are open and far.
      let six = 0;
      for (let t = 0; t < body.triangles.length; t += 3) {
        const [a, b, c] = [0, 1, 2].map((k) => {
          const from = body.triangles[t + k] * 3;
          return [...positions.subarray(from, from + 3)] as vec3;
        });
        six += vec3.dot(a, vec3.cross(vec3.create(), b, c));
      }
      return Math.abs(six);
    };
    const kept = girth({ ...DEFAULT_RELAXING, passes: 20, keepsVolume: true });
    expect(kept).toBeGreaterThan(girth({ ...DEFAULT_RELAXING, passes: 20 }));
  });
});

test('one pass by hand: a ridge of one point over a sheet stays as steep as rest has it', async () => {
  // Rest is flat, so there is no detail: after a pass the middle point is half way to its neighbours' middle.
  const relaxer = await SurfaceRelaxer.create(sheet, { passes: 1, strength: 1, keepsVolume: false });
  const [positions, normals] = [sheet.rest.slice(), sheet.restNormals.slice()];
  const middle = 4 * 13 + 6;
  positions[middle * 3 + 2] = 1;
  relaxer.relaxAll(positions, normals);
  expect(positions[middle * 3 + 2]).toBeCloseTo(0.5, 5);
  const { offsets, points } = sheet.neighbours;
  for (let n = offsets[middle]; n < offsets[middle + 1]; n++)
    expect(positions[points[n] * 3 + 2]).toBeCloseTo(0.5 / (offsets[points[n] + 1] - offsets[points[n]]), 5);
});

test('the compiled kernels and the plain ones say the same', () => {
  const plain = new SurfaceRelaxer(body, DEFAULT_RELAXING, createPlainMemory());
  fc.assert(
    fc.property(ways, angle, (relaxing, about) => {
      relaxed.relaxing = relaxing;
      plain.relaxing = relaxing;
      const [a, b] = [bent(body, about), bent(body, about)];
      relaxed.relaxAll(...a);
      plain.relaxAll(...b);
      expect(apart(a[0], b[0])).toBeLessThan(2e-4);
    }),
    { numRuns: 20 },
  );
});

/** Numbers of listed points, side by side. */
const gathered = (all: Float32Array, points: ArrayLike<number>): Float32Array =>
  Float32Array.from({ length: points.length * 3 }, (_, i) => all[points[Math.floor(i / 3)] * 3 + (i % 3)]);

describe('only around some points', () => {
  const any = fc.tuple(
    ways,
    angle,
    fc.uniqueArray(fc.nat(body.pointCount - 1), { minLength: 1, maxLength: 5 }),
  );
  const take = (points: ArrayLike<number>, [positions, normals]: readonly Float32Array[]): void =>
    relaxed.take(points, points.length, gathered(positions, points), gathered(normals, points));

  test('what those points need gives what the whole gives', () => {
    fc.assert(
      fc.property(any, ([relaxing, about, points]) => {
        relaxed.relaxing = relaxing;
        const whole = bent(body, about);
        relaxed.relaxAll(...whole);
        const patch = relaxed.patchAbout(points, points.length, 1);
        take(patch.points, bent(body, about));
        expect(relaxed.relaxPatch(patch)).toBe(points.length);
        expect(gathered(relaxed.relaxed.positions, points)).toEqual(gathered(whole[0], points));
        expect(gathered(relaxed.relaxed.normals, points)).toEqual(gathered(whole[1], points));
      }),
      { numRuns: 40 },
    );
  });

  test('what changes there gives what the whole gives, everywhere', () => {
    fc.assert(
      fc.property(any, ([relaxing, about, points]) => {
        relaxed.relaxing = relaxing;
        const skinned = bent(body, about);
        relaxed.relaxAll(...bent(body, about));
        for (const p of points) skinned[0][p * 3 + 1] += 0.25;
        take(points, skinned);
        relaxed.relaxPatch(relaxed.patchAbout(points, points.length, 2));
        const shown = [relaxed.relaxed.positions.slice(), relaxed.relaxed.normals.slice()];
        relaxed.relaxAll(...skinned);
        expect(apart(shown[0], skinned[0])).toBeLessThan(1e-6);
        expect(apart(shown[1], skinned[1])).toBeLessThan(1e-6);
      }),
      { numRuns: 40 },
    );
  });
});

test('an amount of nothing is the skinned surface, of one the relaxed one, of a half what lies between', async () => {
  const relaxer = await SurfaceRelaxer.create(body, DEFAULT_RELAXING);
  const [skinned, whole, shared] = [bent(body, 1.4), bent(body, 1.4), bent(body, 1.4)];
  relaxer.relaxAll(...whole);
  relaxer.setAmounts(Float32Array.from({ length: body.pointCount }, (_, p) => (p % 3) / 2));
  relaxer.relaxAll(...shared);
  for (let i = 0; i < skinned[0].length; i++) {
    const amount = (Math.floor(i / 3) % 3) / 2;
    expect(shared[0][i]).toBeCloseTo(skinned[0][i] + amount * (whole[0][i] - skinned[0][i]), 5);
  }
  relaxer.setAmounts(undefined);
  const again = bent(body, 1.4);
  relaxer.relaxAll(...again);
  expect(again).toEqual(whole);
});
