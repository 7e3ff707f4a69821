import type { Part } from '../../mesh/part.ts';
import type { Neighbours } from '../../mesh/neighbours.ts';
import type { WeightRows } from '../../weights/rows.ts';

/** A skinned part, with what its points have around them. */
export interface WeightedSurface {
  readonly shape: Pick<Part, 'positions' | 'pointCount'>;
  readonly rows: WeightRows;
  readonly neighbours: Neighbours;
}
