import { decodeRows, MAX_UPLOAD_BYTES } from '@judoka/contract';
import { jointPath, type Json } from '@judoka/core/document';
import { CoreError } from '@judoka/core/errors';
import { transaction, type Database, type Queryable } from '../database.ts';
import { insertCheckpoint } from '../documents/checkpoints.queries.ts';
import { keepValues } from '../documents/heads.queries.ts';
import type { FileThreads, Imported } from '../files/FileThreads.ts';
import { insertCharacter } from './characters.queries.ts';
import { insertSource } from './sources.queries.ts';

interface Extras {
  /** Which of the demo's characters it is. */
  readonly demo?: string;
  /** Done again under the same id, it is there once. */
  readonly id?: string;
  readonly signal?: AbortSignal;
  /** It stays off the shelf until it is said to have arrived. */
  readonly isArriving?: boolean;
  /** Puts more beside it, in the same transaction. */
  readonly add?: (db: Queryable, character: string, imported: Imported) => Promise<void> | undefined;
}

/** Reads a `.glb` or a drawing and puts it on a shelf, whole or not at all. @returns its id */
export async function createCharacter(
  database: Database,
  jobs: FileThreads,
  shelf: string,
  name: string,
  bytes: Uint8Array,
  { id: wanted, signal, demo, isArriving = false, add }: Extras = {},
): Promise<string> {
  if (bytes.length === 0) throw new CoreError('file-empty', 'The file is empty.');
  if (bytes.length > MAX_UPLOAD_BYTES)
    throw new CoreError('file-too-large', 'The file is larger than 256 MB and cannot be taken.');
  const imported = await jobs.importFile(bytes, signal);
  const { source = bytes } = imported;
  const values = new Map(
    imported.nonDeforming.map((joint): [string, Json] => [jointPath('nonDeforming', joint), true]),
  );
  return transaction(database, async (db) => {
    const id = await insertCharacter(db, shelf, name, imported, {
      id: wanted,
      sourceBytes: source.length,
      demo,
      isArriving,
    });
    await insertSource(db, id, source);
    await insertCheckpoint(db, id, 0, decodeRows(imported.weights));
    await keepValues(db, id, values);
    await add?.(db, id, imported);
    return id;
  });
}
