import type { Queryable } from '../database.ts';
import { mayLook } from '../people/access.ts';

/** Largest piece of a source that one row holds. */
const PIECE_BYTES = 8 * 1024 * 1024;

/** Keeps a source file as it came, in pieces that a driver can carry. */
export async function insertSource(db: Queryable, character: string, bytes: Uint8Array): Promise<void> {
  for (let piece = 0; piece * PIECE_BYTES < bytes.length; piece++) {
    const some = bytes.subarray(piece * PIECE_BYTES, (piece + 1) * PIECE_BYTES);
    await db.query('insert into source_pieces (character_id, piece, bytes) values ($1, $2, $3)', [
      character,
      piece,
      Buffer.from(some.buffer, some.byteOffset, some.byteLength),
    ]);
  }
}

/** One piece of a source; undefined behind the last. */
async function findSourcePiece(db: Queryable, character: string, piece: number): Promise<Buffer | undefined> {
  const { rows } = await db.query<{ bytes: Buffer }>(
    `select bytes
     from source_pieces
     where character_id = $1 and piece = $2`,
    [character, piece],
  );
  return rows[0]?.bytes;
}

/** The pieces of a source, one after the other. */
export async function* eachSourcePiece(db: Queryable, character: string): AsyncGenerator<Buffer> {
  for (let piece = 0; ; piece++) {
    const bytes = await findSourcePiece(db, character, piece);
    if (!bytes) return;
    yield bytes;
  }
}

/** A source as a whole. */
export async function readSource(db: Queryable, character: string): Promise<Uint8Array> {
  const pieces: Buffer[] = [];
  for await (const piece of eachSourcePiece(db, character)) pieces.push(piece);
  return new Uint8Array(Buffer.concat(pieces));
}

/** How large a source is that the account may look at. */
export async function findSourceSize(
  db: Queryable,
  account: string,
  character: string,
): Promise<number | undefined> {
  const { rows } = await db.query<{ source_bytes: number }>(
    `select source_bytes
     from characters
     where id = $1 and ${mayLook('characters.shelf_id', '$2')}`,
    [character, account],
  );
  return rows[0]?.source_bytes;
}
