import type { Influence } from '@judoka/core/weights';
import { Events } from '../../document/events.ts';

/** Weights of a point, or the mean of several, that were copied. */
export class Clipboard {
  readonly events = new Events<'changed'>();
  row: readonly Influence[] = [];

  /** Holds weights to be pasted. */
  hold(row: readonly Influence[]): void {
    this.row = row;
    this.events.publish('changed');
  }
}
