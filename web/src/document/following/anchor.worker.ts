import { type Anchors, anchorTo, type DriverSurface } from '@judoka/core/deform';
import * as Comlink from 'comlink';

const worker = {
  /** What places hold on to of a surface; undefined where it has no triangles. */
  anchors(surface: DriverSurface, places: Float32Array): Anchors | undefined {
    const found = anchorTo(surface, places);
    if (!found) return undefined;
    const { points, beside, heights, rows } = found;
    const arrays = [points, beside, heights, rows.joints, rows.values];
    return Comlink.transfer(
      found,
      arrays.map(({ buffer }) => buffer as ArrayBuffer),
    );
  },
};
export type AnchorWorker = typeof worker;
Comlink.expose(worker);
