import type { GltfJson } from './gltfJson.ts';

const KEY = 'judokaNotes';

/** What was left out when a file of another format was made into a glTF, kept in its root. */
export const asNotes = (notes: readonly string[]): { extras?: unknown } =>
  notes.length === 0 ? {} : { extras: { [KEY]: [...new Set(notes)] } };

/** What {@link asNotes} kept. */
export function sourceNotes({ extras }: GltfJson): string[] {
  if (typeof extras !== 'object' || extras === null) return [];
  const notes: unknown = (extras as Record<string, unknown>)[KEY];
  return Array.isArray(notes) ? notes.filter((note) => typeof note === 'string').slice(0, 100) : [];
}
