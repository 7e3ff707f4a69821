import { Events } from '../../document/events.ts';
import type { Hover } from '../../scene/gesture.ts';

interface Pointed {
  /** What lies under the pointer. */
  readonly hover: Hover | undefined;
  /** What a drag says of itself. */
  readonly said: string;
}

/** What the pointer does on the stage. It changes with every move, so only what shows it listens. */
export class Pointing {
  readonly events = new Events<'changed'>();
  now: Pointed = { hover: undefined, said: '' };

  set(change: Partial<Pointed>): void {
    if (Object.entries(change).every(([key, value]) => this.now[key as keyof Pointed] === value)) return;
    this.now = { ...this.now, ...change };
    this.events.publish('changed');
  }
}
