import type { Editing } from '../../scene/Editing.ts';
import type { Transfers } from './Transfers.ts';

/** What the transfer's panel works on. */
export interface TransferAt extends Editing {
  readonly transfers: Transfers;
}
