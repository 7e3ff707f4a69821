import { useCallback, useSyncExternalStore } from 'react';
import type { EventSource } from './events.ts';

/** Draws a component anew at an event; the number is the event's. */
export function useEvent<Kind extends string>(events: EventSource<Kind>, kind: Kind): number {
  const subscribe = useCallback((listener: () => void) => events.subscribe(kind, listener), [events, kind]);
  return useSyncExternalStore(subscribe, () => events.version(kind));
}
