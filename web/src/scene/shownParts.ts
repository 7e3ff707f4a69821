import type { ScenePart } from './ScenePart.ts';

/** Parts that are shown. A cage is meant only where nothing else is shown: it lies about all that is within. */
export function shownParts(parts: readonly ScenePart[]): readonly ScenePart[] {
  const shown = parts.filter(({ visible }) => visible);
  const others = shown.filter(({ part }) => part.role !== 'cage');
  return others.length > 0 ? others : shown;
}
