import { decodeRows, documentHeader, unpackFrame, type DocumentHeader } from '@judoka/contract';
import { readSettings, shapesOf } from '@judoka/core/document';
import { layFollowScratch, layRelaxScratch } from '@judoka/core/deform';
import { countBytes, createKernelMemory } from '@judoka/core/memory';
import { createPaintWorkspace } from '@judoka/core/operations/paint';
import { createRowBatch, DEFAULT_STRIDE, type WeightRows } from '@judoka/core/weights';
import { HttpError, requestBytes } from '../api/http.ts';
import { findCopy, keepSource } from '../document/copies/copyStore.ts';
import { BoundCharacter } from '../document/BoundCharacter.ts';
import { OpenDocument } from '../document/OpenDocument.ts';
import { forgetOpen, readOpen } from '../document/reading/reader.ts';
import type { ReadResult } from '../document/reading/reader.worker.ts';
import { layStrip } from '../scene/BendStrip.ts';
import { createScenePart, layPart } from '../scene/ScenePart.ts';
import { Workspace } from './Workspace.ts';

type Tell = (stage: string, share: number) => void;

/** Why the server's document cannot be had now, while what this browser keeps of it is as good. */
const AWAY: readonly HttpError['code'][] = [
  'offline',
  'database-away',
  'storage-full',
  'read-only',
  'server-failed',
];

interface Fetched {
  readonly source: Uint8Array<ArrayBuffer>;
  readonly header: DocumentHeader;
  readonly weights: Uint8Array;
  /** Since when it has been kept here, where it does not come from the server. */
  readonly keptAt?: number;
}

/** The source of the character that was opened last; it never changes. */
let held: { readonly id: string; readonly source: Uint8Array<ArrayBuffer> } | undefined;

/** Lets go of what is kept to open the same character again. */
export function forgetOpened(): void {
  held = undefined;
  forgetOpen();
}

async function sourceOf(id: string, tell: Tell): Promise<Uint8Array<ArrayBuffer>> {
  if (held?.id === id) return held.source;
  const source = await requestBytes(`/api/characters/${id}/source.glb`, (share) =>
    tell('Fetching', share * 0.3),
  );
  keepSource(id, source).catch(() => undefined);
  held = { id, source };
  return source;
}

/** A character from the server; from what this browser keeps where the server is away. */
async function fetchCharacter(id: string, tell: Tell): Promise<Fetched> {
  try {
    const [source, frame] = await Promise.all([
      sourceOf(id, tell),
      requestBytes(`/api/characters/${id}/document`).then(unpackFrame),
    ]);
    return { source, header: documentHeader.parse(frame.header), weights: frame.blobs[0] };
  } catch (error) {
    const copy = error instanceof HttpError && AWAY.includes(error.code) ? await findCopy(id) : undefined;
    if (!copy) throw error;
    return copy;
  }
}

/** Opens a character: fetches it, reads it in a worker, and lays its arrays out for painting. */
export async function openWorkspace(id: string, tell: Tell, signal: AbortSignal): Promise<Workspace> {
  tell('Fetching', 0);
  const { source, header, weights, keptAt } = await fetchCharacter(id, tell);
  signal.throwIfAborted();
  const read = await readOpen(
    id,
    source,
    shapesOf(header.values),
    (stage, share) => tell(stage, 0.3 + share * 0.6),
    signal,
  );
  signal.throwIfAborted();
  tell('Laying out', 0.95);
  const rows = decodeRows(weights);
  checkFits(read, rows);
  const workspace = await layOut(header, read, rows);
  workspace.document.keptAt = keptAt;
  await workspace.document.log.adoptUnsent();
  await workspace.document.proposals.restore();
  return workspace;
}

function checkFits(read: ReadResult, rows: readonly WeightRows[]): void {
  const { parts } = read.character;
  if (rows.length === parts.length && rows.every(({ pointCount }, i) => pointCount === parts[i].pointCount))
    return;
  throw new HttpError(
    'server-failed',
    'The stored weights do not fit the stored model. Restore this character from a backup.',
  );
}

/** A workspace on what was read, with its arrays laid out for painting. */
export async function layOut(
  header: DocumentHeader,
  read: ReadResult,
  rows: readonly WeightRows[],
): Promise<Workspace> {
  const bound = new BoundCharacter(read.character, header.joints, readSettings(header.values));
  const { jointCapacity } = bound;
  const memory = await createKernelMemory(
    countBytes((counted) => [
      read.character.parts.map((part, i) => {
        const { stride } = rows[i];
        const { offsets, points } = read.neighbours[i];
        return [
          layPart(counted, part, stride, jointCapacity, points.length),
          createPaintWorkspace(counted, part.pointCount, stride, { offsets, points }),
        ];
      }),
      layStrip(counted, jointCapacity, read.character.parts.length),
      layRelaxScratch(counted),
      layFollowScratch(counted, jointCapacity),
      createRowBatch(counted, DEFAULT_STRIDE),
      counted.u8(jointCapacity),
    ]),
  );
  const parts = read.character.parts.map((_, index) =>
    createScenePart(memory, read, index, rows[index], bound),
  );
  const document = new OpenDocument(
    header,
    bound,
    memory,
    parts.map(({ index, skin, paint }) => ({
      index,
      get part() {
        return bound.character.parts[index];
      },
      rows: skin.rows,
      neighbours: paint.neighbours,
    })),
  );
  return new Workspace(document, parts);
}
