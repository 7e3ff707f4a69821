import type { DocumentHeader } from '@judoka/contract';
import { database, type KeptCopy } from '../queue/editStore.ts';

/** Characters whose copies are kept: those that were open last. */
const KEPT = 8;
const SOURCES = 'judoka-sources';

const sourcePath = (character: string): string => `/api/characters/${character}/source.glb`;

/** Not there on a page that came over plain HTTP from another machine, nor where the browser keeps nothing. */
const sources = async (): Promise<Cache | undefined> =>
  typeof caches === 'undefined' ? undefined : caches.open(SOURCES).catch(() => undefined);

/** Keeps a character as it is now; those that were not open for longest go. */
export async function keepCopy(header: DocumentHeader, weights: Uint8Array<ArrayBuffer>): Promise<void> {
  const db = await database();
  await db.put('copies', { character: header.id, keptAt: Date.now(), header, weights });
  const all = await listCopies();
  for (const { character } of all.slice(KEPT)) await dropCopy(character);
}

/** Keeps the file that a character came as. */
export async function keepSource(character: string, bytes: Uint8Array<ArrayBuffer>): Promise<void> {
  await (await sources())?.put(sourcePath(character), new Response(bytes));
}

export interface OpenedCopy extends KeptCopy {
  readonly source: Uint8Array<ArrayBuffer>;
}

/** A character as it was kept here, whole; undefined where it was not. */
export async function findCopy(character: string): Promise<OpenedCopy | undefined> {
  const copy = await (await database()).get('copies', character);
  const source = copy && (await (await sources())?.match(sourcePath(character)));
  return copy && source && { ...copy, source: new Uint8Array(await source.arrayBuffer()) };
}

/** What is kept, the latest first. */
export async function listCopies(): Promise<Pick<KeptCopy, 'character' | 'keptAt' | 'header'>[]> {
  const all = await (await database()).getAll('copies');
  return all
    .map(({ character, keptAt, header }) => ({ character, keptAt, header }))
    .sort((a, b) => b.keptAt - a.keptAt);
}

async function dropCopy(character: string): Promise<void> {
  await (await database()).delete('copies', character);
  await (await sources())?.delete(sourcePath(character));
}

/** Whoever signs out leaves no characters behind in this browser; edits that were not sent yet stay. */
export async function dropCopies(): Promise<void> {
  await (await database()).clear('copies');
  if (typeof caches !== 'undefined') await caches.delete(SOURCES);
}
