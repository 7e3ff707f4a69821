import { PLAIN_MEMORY } from '../memory/kernelMemory.ts';
import { growTree, layTree, nearestInTree, type SurfaceHit, type TreeWork } from './treeLoops.ts';

export { createSurfaceHit, type SurfaceHit } from './treeLoops.ts';

/**
 * The nearest place on many triangles: boxes around quarters of quarters of them, halved along the cells of a grid. Triangles
 * are kept in the tree's order, so that one search runs over memory that lies together; a tree of moved points has to be made
 * anew. (Cut by count along the same curve, searches take four times as long.)
 * For many places at once see {@link nearestPlaces}.
 */
export class TriangleTree {
  readonly #work: TreeWork;

  /** @param positions Float32Array, 3 a point @param triangles Uint32Array, 3 a triangle */
  constructor(positions: Float32Array, triangles: Uint32Array) {
    this.#work = { ...layTree(PLAIN_MEMORY, new Float32Array(0), triangles), positions, triangles };
    growTree(this.#work);
  }

  /**
   * The nearest place on the triangles, nearer than `most`, among the places that `fits`.
   *
   * @param hit  written; `triangle` is -1 where there is none
   * @param fits asked for a place that would be the nearest; all do where missing
   */
  nearest(
    x: number,
    y: number,
    z: number,
    most: number,
    hit: SurfaceHit,
    fits?: (hit: SurfaceHit) => boolean,
  ): void {
    nearestInTree(this.#work, x, y, z, most, hit, fits);
  }
}
