import type { RangeFigures } from '@judoka/core/analysis/bends';
import type { Change } from '@judoka/core/weights';
import type { ProposalNote } from './queue/editStore.ts';

/** What the choices of a proposal are called, where it is no new work. */
export interface ProposalWords {
  readonly old: string;
  readonly keep: string;
  readonly drop: string;
  /** What is true as long as nothing is decided. */
  readonly meanwhile: string;
}

/** A change of weights that is not kept yet. */
export interface Alternative {
  readonly label: string;
  /** What it is called beside others. */
  readonly name: string;
  readonly change: Change;
  /** What could not be done as asked, and where. */
  readonly notes: readonly ProposalNote[];
  /** Said instead of what is said of every proposal. */
  readonly words?: ProposalWords;
  /** How the character bends with it, once that is measured. */
  readonly figures?: RangeFigures;
}

/** The number of the weights as they were, among those that can be looked at. */
export const OLD = -1;
