import { type Polygons, subdivide, type SubdivisionStep } from '@judoka/core/mesh';
import * as Comlink from 'comlink';

const smoother = {
  /** Steps of a part's subdivision. */
  subdivide(
    polygons: Polygons,
    pointCount: number,
    levels: number,
    creases: Uint32Array | undefined,
  ): SubdivisionStep[] {
    const steps = subdivide(polygons, pointCount, levels, creases);
    const buffers = steps.flatMap(({ offsets, sources, shares, quads, polygonOf, creases: own }) =>
      [offsets, sources, shares, quads, polygonOf, own].map(({ buffer }) => buffer as ArrayBuffer),
    );
    return Comlink.transfer(steps, buffers);
  },
};
export type Smoother = typeof smoother;
Comlink.expose(smoother);
