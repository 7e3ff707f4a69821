import { useCallback, useSyncExternalStore } from 'react';
import type { CharacterSession, Topic } from './CharacterSession.ts';

/** Draws a component anew when a topic of the session has news; the number is the news' version. */
export function useTopic(session: CharacterSession, topic: Topic): number {
  const subscribe = useCallback(
    (listener: () => void) => session.topics.subscribe(topic, listener),
    [session, topic],
  );
  return useSyncExternalStore(subscribe, () => session.topics.version(topic));
}
