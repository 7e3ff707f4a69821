import { spatialKernels } from './spatialKernels.ts';
import type { KernelMemory } from '../memory/kernelMemory.ts';

/** What is known of a triangle soup before it is filled. */
export interface Soup {
  /** The box around all corners. */
  readonly least: readonly [number, number, number];
  readonly most: readonly [number, number, number];
  /** Longest side of the box; not above zero, or not finite, where the soup has no size. */
  readonly longest: number;
  /** Volume, as if the soup were closed. */
  readonly volume: number;
  readonly area: number;
}

/** Box, volume and area of a soup. @param triangles at least one */
export function readSoup(positions: Float32Array, triangles: Uint32Array, memory: KernelMemory): Soup {
  const out = memory.f64(8);
  spatialKernels(memory).measureSoup(positions, triangles, out);
  const [x0, y0, z0, x1, y1, z1, volume, area] = out;
  return {
    least: [x0, y0, z0],
    most: [x1, y1, z1],
    longest: Math.max(x1 - x0, y1 - y0, z1 - z0),
    volume,
    area,
  };
}
