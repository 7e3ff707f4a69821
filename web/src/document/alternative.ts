import type { RangeFigures } from '@judoka/core/analysis/bends';
import type { Change } from '@judoka/core/weights';
import type { ProposalNote } from './queue/editStore.ts';

/** A change of weights that is not kept yet. */
export interface Alternative {
  readonly label: string;
  /** What it is called beside others. */
  readonly name: string;
  readonly change: Change;
  /** What could not be done as asked, and where. */
  readonly notes: readonly ProposalNote[];
  /** How the character bends with it, once that is measured. */
  readonly figures?: RangeFigures;
}

/** The number of the weights as they were, among those that can be looked at. */
export const OLD = -1;
