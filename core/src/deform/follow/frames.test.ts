import { expect, test } from '@jest/globals';
import fc from 'fast-check';
import { mat4, quat, vec3 } from 'gl-matrix';
import { createKernelMemory, createPlainMemory, type KernelMemory } from '../../memory/index.ts';
import { frameOf, layTurns, type TurningSurface } from './frames.ts';
import { turnKernels } from './turnKernels.ts';

const memory = await createKernelMemory(1 << 22);
const unit = fc.float({ min: -1, max: 1, noNaN: true });
const triple = fc.tuple(unit, unit, unit);
const place = fc.record({ at: triple, normal: triple });
type Place = { at: number[]; normal: number[] };

const normalOf = ({ normal }: Place): number[] => {
  const size = Math.hypot(...normal);
  return size > 0.1 ? normal.map((x) => x / size) : [0, 0, 0];
};

/** A surface of some places, each held on to with the next one; as `now` says how it stands now. */
function surfaceOf(of: KernelMemory, places: Place[], now: (place: Place) => Place, scale: number) {
  const count = places.length;
  const surface: TurningSurface = {
    frames: of.f32(count * 9),
    rest: of.f32(count * 3),
    positions: of.f32(count * 3),
    normals: of.f32(count * 3),
    scales: of.f32(count),
    own: of.u32(count),
    beside: of.u32(count),
  };
  surface.own.set(places.map((_, i) => i));
  surface.beside.set(places.map((_, i) => (i + 1) % count));
  surface.scales.fill(scale);
  surface.rest.set(places.flatMap(({ at }) => at));
  const normals = Float32Array.from(places.flatMap(normalOf));
  for (let i = 0; i < count; i++) frameOf(surface.rest, normals, i, surface.beside[i], surface.frames, i * 9);
  surface.positions.set(places.flatMap((each) => now(each).at));
  surface.normals.set(places.flatMap((each) => normalOf(now(each))));
  const list = of.u32(count);
  list.set(places.map((_, i) => i));
  return { surface, anchors: { points: list, count }, palette: of.f32(16 * count) };
}

test('what turns, moves and grows as a whole is turned, moved and made larger by that', () => {
  fc.assert(
    fc.property(fc.array(place, { minLength: 2, maxLength: 9 }), triple, triple, (places, turn, move) => {
      const rotation = quat.normalize(quat.create(), [...turn, 1]);
      const whole = mat4.fromRotationTranslationScale(mat4.create(), rotation, move, [1.5, 1.5, 1.5]);
      const now = ({ at, normal }: Place): Place => ({
        at: [...vec3.transformMat4(vec3.create(), at, whole)],
        normal: [...vec3.transformQuat(vec3.create(), normal, rotation)],
      });
      const { surface, anchors, palette } = surfaceOf(createPlainMemory(), places, now, 1.5);
      layTurns(surface, anchors, palette);
      places.forEach((_, i) => {
        const [rest, there] = [surface.rest, surface.positions].map((of) => of.subarray(i * 3, i * 3 + 3));
        const matrix = palette.subarray(i * 16, i * 16 + 16);
        const carried = vec3.transformMat4(vec3.create(), rest, matrix);
        expect(vec3.distance(carried, there as vec3)).toBeLessThan(1e-5);
        // Where a neighbour lies too near, or right along the normal, a turn cannot be told well.
        const [ahead, normal] = [surface.beside[i] * 3, surface.frames.subarray(i * 9 + 6, i * 9 + 9)];
        const aside = vec3.subtract(vec3.create(), surface.rest.subarray(ahead, ahead + 3), rest);
        const over = vec3.dot(aside, normal);
        if (vec3.squaredLength(aside) - over * over < 1e-2 || vec3.length(normal) < 0.5) return;
        for (let k = 0; k < 16; k++) expect(matrix[k]).toBeCloseTo(whole[k], 3);
      });
    }),
  );
});

test('the compiled turns are the plain ones', () => {
  fc.assert(
    fc.property(fc.array(place, { minLength: 2, maxLength: 9 }), triple, (places, move) => {
      const now = ({ at, normal }: Place): Place => ({
        at: at.map((x, k) => x + move[k] * at[(k + 1) % 3]),
        normal: normal.map((x, k) => x + move[k]),
      });
      const all = [createPlainMemory(), memory].map((of) => {
        const each = surfaceOf(of, places, now, 0.7);
        turnKernels(of).layTurns(each.surface, each.anchors, each.palette);
        return each;
      });
      const [plain, compiled] = all.map(({ palette }) => palette);
      const { positions, normals, beside } = all[0].surface;
      for (let i = 0; i < plain.length; i++) {
        const [p, q] = [Math.floor(i / 16) * 3, beside[Math.floor(i / 16)] * 3];
        const aside = [0, 1, 2].map((k) => positions[q + k] - positions[p + k]);
        const over = aside.reduce((sum, x, k) => sum + x * normals[p + k], 0);
        if (Math.hypot(...aside) ** 2 - over ** 2 > 1e-4) expect(compiled[i]).toBeCloseTo(plain[i], 3);
      }
    }),
    { numRuns: 60 },
  );
});
