import type { Relaxing } from '../deform/SurfaceRelaxer.ts';
import { maskOf, ringsFrom } from '../mesh/masks.ts';
import type { Neighbours } from '../mesh/neighbours.ts';

/** How a document's surface is relaxed, and where. */
export interface RelaxedLook extends Relaxing {
  /** The mask that says how much of it each point takes; a saved selection in which it is otherwise, or everywhere. */
  readonly mask?: string;
  readonly selection?: string;
  /** Rings of points about the selection over which it fades away. */
  readonly border?: number;
}

export const MAX_RELAX_BORDER = 50;

/**
 * How much of relaxing each point of a part takes: all of it in a selection, less and less in the rings about it.
 * @returns Float32Array, pointCount, 0..1
 */
export function relaxAmounts(
  neighbours: Neighbours,
  pointCount: number,
  selected: Uint32Array,
  border: number,
): Float32Array {
  const rings = ringsFrom(neighbours, maskOf(selected, pointCount), border);
  return Float32Array.from(rings, (ring) => {
    const share = Math.max(0, 1 - ring / (border + 1));
    return share * share * (3 - 2 * share);
  });
}
