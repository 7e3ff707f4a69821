import { createKernelMemory, type KernelMemory } from '@judoka/core/memory';
import { findNeighbours, type Neighbours } from '@judoka/core/mesh';
import type { SkinArrays } from '@judoka/core/deform';
import { createRowsIn } from '@judoka/core/weights';

/** A wavy sheet of quads with weights by a fixed recurrence: any size, the same at every run. */
export interface Surface {
  readonly pointCount: number;
  readonly jointCount: number;
  readonly memory: KernelMemory;
  readonly arrays: SkinArrays;
  readonly neighbours: Neighbours;
  readonly triangles: Uint32Array;
  readonly locks: Uint8Array;
}

/** A small deterministic generator: numbers in 0..1. */
export function generator(seed: number): () => number {
  let state = seed >>> 0;
  return () => {
    state = (Math.imul(state, 1664525) + 1013904223) >>> 0;
    return state / 2 ** 32;
  };
}

/** Rows a point hang together as on a character: a few neighbouring joints, blended smoothly. */
export async function makeSurface(
  side: number,
  influences: (random: () => number) => number,
): Promise<Surface> {
  const pointCount = side * side;
  const jointCount = 60;
  const stride = 8;
  const triangles = new Uint32Array((side - 1) ** 2 * 6);
  const offsets = new Uint32Array((side - 1) ** 2 + 1);
  const corners = new Uint32Array((side - 1) ** 2 * 4);
  let quad = 0;
  for (let y = 0; y + 1 < side; y++) {
    for (let x = 0; x + 1 < side; x++) {
      const a = y * side + x;
      corners.set([a, a + 1, a + side + 1, a + side], quad * 4);
      triangles.set([a, a + 1, a + side + 1, a, a + side + 1, a + side], quad * 6);
      offsets[++quad] = quad * 4;
    }
  }
  const found = findNeighbours({ offsets, points: corners }, pointCount);
  const bytes =
    pointCount * (48 + stride * 6) + found.points.length * 4 + pointCount * 4 + (jointCount + 1) * 64;
  const memory = await createKernelMemory(bytes + pointCount * 360 + (1 << 20));
  const neighbours = { offsets: memory.u32(found.offsets.length), points: memory.u32(found.points.length) };
  neighbours.offsets.set(found.offsets);
  neighbours.points.set(found.points);
  const arrays: SkinArrays = {
    rest: memory.f32(pointCount * 3),
    restNormals: memory.f32(pointCount * 3),
    rows: createRowsIn(memory, pointCount, stride),
    palette: memory.f32((jointCount + 1) * 16),
    positions: memory.f32(pointCount * 3),
    normals: memory.f32(pointCount * 3),
  };
  fill(arrays, side, jointCount, influences);
  return { pointCount, jointCount, memory, arrays, neighbours, triangles, locks: memory.u8(jointCount) };
}

function fill(
  arrays: SkinArrays,
  side: number,
  jointCount: number,
  influences: (random: () => number) => number,
): void {
  const random = generator(7);
  const { rest, restNormals, rows, palette } = arrays;
  for (let p = 0; p < side * side; p++) {
    const [x, y] = [(p % side) / side, Math.floor(p / side) / side];
    rest.set([x, y, 0.05 * Math.sin(12 * x) * Math.cos(9 * y)], p * 3);
    restNormals.set([0, 0, 1], p * 3);
    // As on a character: a point's joints lie next to one another in the skeleton.
    const count = influences(random);
    const first = Math.min(jointCount - count, Math.floor(x * jointCount));
    let left = 1;
    for (let k = 0; k < count; k++) {
      const value = k === count - 1 ? left : Math.fround(left * (0.5 + 0.2 * random()));
      rows.joints[p * rows.stride + k] = first + k;
      rows.values[p * rows.stride + k] = value;
      left -= value;
    }
  }
  for (let j = 0; j <= jointCount; j++) {
    // Each joint tips the sheet a little: bent, but nowhere over itself as seen from above.
    const [c, s] = [Math.cos(j * 0.004), Math.sin(j * 0.004)];
    palette.set([1, 0, 0, 0, 0, c, s, 0, 0, -s, c, 0, 0, 0, 0.002 * j, 1], j * 16);
  }
}
