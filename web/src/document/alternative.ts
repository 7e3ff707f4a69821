import type { RangeFigures } from '@judoka/core/analysis/bends';
import type { BendLacks, CuredJoint } from '@judoka/core/operations/cure';
import type { Change } from '@judoka/core/weights';

/** Something to say of a proposal, and the points that it is about. */
export interface ProposalNote {
  readonly words: string;
  readonly part?: number;
  readonly points?: Uint32Array;
}

/** What the choices of a proposal are called, where it is no new work. */
export interface ProposalWords {
  readonly old: string;
  readonly keep: string;
  readonly drop: string;
  /** What is true as long as nothing is decided. */
  readonly meanwhile: string;
}

/** How far plain weights are off a look, over all points and poses, in scene units: root mean squares. */
export interface LookErrors {
  readonly before: number;
  readonly after: number;
  readonly greatest: number;
  /** What weights without a limit on their number would leave. */
  readonly unlimited: number;
}

/** What is known of a cure, so that more or less of it can be taken. */
export interface CureDetails {
  /** What it was made on, itself proposed: nothing, or a binding. */
  readonly base: Change;
  /** That with all of the cure. */
  readonly full: Change;
  /** Of the cure so much is proposed, 0 to 1. */
  readonly amount: number;
  /** Those that were asked for first. */
  readonly joints: readonly CuredJoint[];
  /** How many were asked for. */
  readonly asked: number;
  /** What bends lack that are not cured by weights. */
  readonly lacks?: readonly BendLacks[];
  /** Of a look that was baked: how far all of it is off. */
  readonly errors?: LookErrors;
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
  readonly cure?: CureDetails;
}

/** The number of the weights as they were, among those that can be looked at. */
export const OLD = -1;

/** Proposes a change instead of making it. */
export type OfferChange = (label: string, change: Change) => Promise<void>;
