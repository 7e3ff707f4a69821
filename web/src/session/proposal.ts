import type { Change } from '@judoka/core';

/** A change that is shown but not kept yet: old and new can be looked at in turn. */
export interface Proposal {
  readonly label: string;
  readonly change: Change;
  /** Whether the new weights are on the stage; else the old ones. */
  readonly shown: boolean;
}
