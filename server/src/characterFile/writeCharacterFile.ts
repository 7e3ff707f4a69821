import type { DocumentValues, Json } from '@judoka/core/document';
import { encodeRows, skeletonChange, valueChange } from '@judoka/contract';
import { z } from 'zod';
import { eachSourcePiece, findSourceSize } from '../characters/sources.queries.ts';
import type { Queryable } from '../database.ts';
import { findCheckpoint } from '../documents/checkpoints.queries.ts';
import { findPieces } from '../documents/edits.queries.ts';
import { findHead, findValues } from '../documents/heads.queries.ts';
import { storedWeightsAsSent } from '../documents/storedWeights.ts';
import { found } from '../http/bodies.ts';
import { VERSION, writeBytes, writeLine, type EditLine } from './lines.ts';

const EDITS_A_QUERY = 32;

/**
 * A character with all its history as the lines of a file, all from one moment: `db` is in a transaction that sees one.
 * @throws RequestError `not-found`
 */
export async function* writeCharacterFile(
  db: Queryable,
  account: string,
  character: string,
): AsyncGenerator<string> {
  const head = found(await findHead(db, account, character));
  const values = await valuesBefore(db, character);
  yield writeLine({ what: 'character', version: VERSION, name: head.name, edits: head.head, values });
  yield writeLine({ what: 'source', bytes: (await findSourceSize(db, account, character)) ?? 0 });
  for await (const piece of eachSourcePiece(db, character)) yield* writeBytes(piece);
  const weights = encodeRows((await findCheckpoint(db, character, 0))?.rows ?? []);
  yield writeLine({ what: 'weights', bytes: weights.length });
  yield* writeBytes(weights);
  for (const { id } of await attachmentsOf(db, character)) {
    const bytes = await attachmentBytes(db, character, id);
    yield writeLine({ what: 'attachment', id, bytes: bytes.length });
    yield* writeBytes(bytes);
  }
  for (let after = 0; after < head.head; after += EDITS_A_QUERY)
    for (const { edit, bytes } of await editsAfter(db, character, after, head.head)) {
      yield writeLine(edit);
      if (bytes) yield* writeBytes(bytes);
    }
  yield writeLine({ what: 'end', edits: head.head });
}

/** The values as they were before the first edit: those of now, and where an edit changed one, what the first one found. */
async function valuesBefore(db: Queryable, character: string): Promise<DocumentValues> {
  const { rows } = await db.query<{ path: string; before: Json }>(
    `select distinct on (line ->> 'path') line ->> 'path' as path, line -> 'before' as before
     from edits, jsonb_array_elements(changes) as line
     where character_id = $1 and changes is not null
     order by line ->> 'path', seq`,
    [character],
  );
  const values: Record<string, Json> = { ...(await findValues(db, character)) };
  for (const { path, before } of rows) values[path] = before;
  return Object.fromEntries(Object.entries(values).filter(([, value]) => value !== null));
}

async function attachmentsOf(db: Queryable, character: string): Promise<{ id: string }[]> {
  const { rows } = await db.query<{ id: string }>(
    'select id from attachments where character_id = $1 order by made_at, id',
    [character],
  );
  return rows;
}

async function attachmentBytes(db: Queryable, character: string, id: string): Promise<Buffer> {
  const { rows } = await db.query<{ bytes: Buffer }>(
    'select bytes from attachments where character_id = $1 and id = $2',
    [character, id],
  );
  return rows[0].bytes;
}

const editRow = z.object({
  id: z.uuid(),
  kind: z.enum(['edit', 'undo', 'redo']),
  label: z.string(),
  target: z.uuid().nullable(),
  delta: z.instanceof(Buffer).nullable(),
  pieces: z.number(),
  joints: skeletonChange.nullable(),
  changes: valueChange.nullable(),
  made_at: z.date(),
  is_large: z.boolean(),
});

async function editsAfter(
  db: Queryable,
  character: string,
  after: number,
  head: number,
): Promise<{ edit: EditLine; bytes: Uint8Array | null }[]> {
  const { rows } = await db.query<object>(
    `select id, kind, label, target, delta, pieces, joints, changes, made_at, is_large
     from edits
     where character_id = $1 and seq > $2 and seq <= $3
     order by seq`,
    [character, after, Math.min(head, after + EDITS_A_QUERY)],
  );
  const edits: { edit: EditLine; bytes: Uint8Array | null }[] = [];
  for (const row of rows) {
    const { id, kind, label, target, delta, pieces, joints, changes, made_at, is_large } = editRow.parse(row);
    const kept = pieces > 0 ? await findPieces(db, character, id, pieces) : delta;
    const bytes = kept && storedWeightsAsSent(kept);
    edits.push({
      edit: {
        what: 'edit',
        id,
        kind,
        label,
        target: target ?? undefined,
        joints: joints ?? undefined,
        values: changes ?? undefined,
        madeAt: made_at.toISOString(),
        isLarge: is_large || undefined,
        bytes: bytes?.length ?? 0,
      },
      bytes,
    });
  }
  return edits;
}
