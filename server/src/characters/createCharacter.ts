import { CoreError } from '@judoka/core/errors';
import { UPLOAD_LIMIT_BYTES, type CharacterCard } from '@judoka/contract';
import { transaction, type Database } from '../database.ts';
import { importGlb } from '../heavy/heavy.ts';
import { insertCharacter, insertSourcePiece } from './characters.queries.ts';
import { insertCheckpoint } from './edits.queries.ts';

/** Largest piece of a source that one row holds. */
const PIECE_BYTES = 8 * 1024 * 1024;

/** Reads a `.glb` and puts it on its owner's shelf, whole or not at all. */
export async function createCharacter(
  database: Database,
  owner: string,
  name: string,
  bytes: Uint8Array,
): Promise<CharacterCard> {
  if (bytes.length === 0) throw new CoreError('file-empty', 'The file is empty.');
  if (bytes.length > UPLOAD_LIMIT_BYTES)
    throw new CoreError('file-too-large', 'The file is larger than 256 MB and cannot be taken.');
  const imported = await importGlb(bytes);
  return transaction(database, async (db) => {
    const card = await insertCharacter(db, owner, name, imported, bytes.length);
    for (let piece = 0; piece * PIECE_BYTES < bytes.length; piece++) {
      await insertSourcePiece(
        db,
        card.id,
        piece,
        bytes.subarray(piece * PIECE_BYTES, (piece + 1) * PIECE_BYTES),
      );
    }
    await insertCheckpoint(db, card.id, 0, imported.weights);
    return card;
  });
}
