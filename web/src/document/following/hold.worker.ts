import { type DriverSurface, type Hold, holdOn } from '@judoka/core/deform';
import * as Comlink from 'comlink';

const worker = {
  /** What places hold on to of a surface; undefined where it has no triangles. */
  async hold(surface: DriverSurface, places: Float32Array): Promise<Hold | undefined> {
    const found = await holdOn(surface, places);
    if (!found) return undefined;
    const arrays =
      found.kind === 'cage'
        ? [found.points, found.coordinates, found.heights]
        : [found.points, found.beside, found.heights, found.rows.joints, found.rows.values];
    return Comlink.transfer(
      found,
      arrays.map(({ buffer }) => buffer as ArrayBuffer),
    );
  },
};
export type HoldWorker = typeof worker;
Comlink.expose(worker);
