import { useCallback, useSyncExternalStore, useMemo } from 'react';
import type { EventSource } from './events.ts';

/** Draws a component anew at an event; the number is the event's. */
export function useEvent<Kind extends string>(events: EventSource<Kind>, kind: Kind): number {
  const subscribe = useCallback((listener: () => void) => events.subscribe(kind, listener), [events, kind]);
  return useSyncExternalStore(subscribe, () => events.version(kind));
}

/** A value that takes long to find, found anew only when one of the versions that it hangs on has changed. */
export function useVersioned<T>(find: () => T, versions: readonly unknown[]): T {
  // eslint-disable-next-line react-hooks/exhaustive-deps -- the versions stand for what is read
  return useMemo(find, versions);
}
