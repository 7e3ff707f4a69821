import { deliveryLine, type AskedDelivery, type DeliveryLine } from '@judoka/contract';
import { z } from 'zod';
import type { Queryable } from '../database.ts';
import { mayChange, mayLook } from '../people/access.ts';

const PIECE_BYTES = 8 * 1024 * 1024;
/** So many of a character are listed. */
const MAX_LISTED = 200;

const deliveryRow = z
  .object({
    ...deliveryLine.omit({ madeAt: true, by: true, bytes: true }).shape,
    made_at: z.date(),
    by: z.string().nullable(),
    bytes: z.coerce.number(),
  })
  .transform(({ made_at, by, ...rest }): DeliveryLine => ({
    ...rest,
    madeAt: made_at.toISOString(),
    by: by ?? 'somebody who has left',
  }));

const COLUMNS = `d.id, d.made_at, a.name as by, d.head, d.file, d.bytes, d.delivery, d.profile, d.lines, d.cost`;

/** Keeps what left, whole or not at all. @returns whether it is new, and the account may change the character */
export async function insertDelivery(
  db: Queryable,
  of: { readonly account: string; readonly character: string },
  asked: AskedDelivery,
  made: { readonly name: string; readonly bytes: Uint8Array; readonly head: number; readonly at: Date },
): Promise<boolean> {
  const { rowCount } = await db.query(
    `insert into deliveries (id, character_id, account_id, made_at, head, file, bytes, delivery, profile, lines, cost)
     select $3, c.id, $2, $4, $5, $6, $7, $8, $9, $10, $11
     from characters c
     where c.id = $1 and ${mayChange('c.shelf_id', '$2')}
     on conflict (id) do nothing`,
    [
      ...[of.character, of.account, asked.id, made.at, made.head, made.name, made.bytes.length],
      ...[JSON.stringify(asked.delivery), asked.profile, JSON.stringify(asked.lines), asked.cost],
    ],
  );
  if (rowCount !== 1) return false;
  for (let piece = 0; piece * PIECE_BYTES < made.bytes.length; piece++) {
    const some = made.bytes.subarray(piece * PIECE_BYTES, (piece + 1) * PIECE_BYTES);
    await db.query('insert into delivery_pieces (delivery_id, piece, bytes) values ($1, $2, $3)', [
      asked.id,
      piece,
      Buffer.from(some.buffer, some.byteOffset, some.byteLength),
    ]);
  }
  return true;
}

/** What left of a character, the last first; undefined where the account does not see it. */
export async function listDeliveries(
  db: Queryable,
  account: string,
  character: string,
): Promise<DeliveryLine[]> {
  const { rows } = await db.query(
    `select ${COLUMNS}
     from deliveries d
     join characters c on c.id = d.character_id
     left join accounts a on a.id = d.account_id
     where c.id = $1 and ${mayLook('c.shelf_id', '$2')}
     order by d.made_at desc, d.id
     limit $3`,
    [character, account, MAX_LISTED],
  );
  return rows.map((row) => deliveryRow.parse(row));
}

export async function findDelivery(
  db: Queryable,
  account: string,
  character: string,
  id: string,
): Promise<DeliveryLine | undefined> {
  const { rows } = await db.query(
    `select ${COLUMNS}
     from deliveries d
     join characters c on c.id = d.character_id
     left join accounts a on a.id = d.account_id
     where d.id = $3 and c.id = $1 and ${mayLook('c.shelf_id', '$2')}`,
    [character, account, id],
  );
  return rows.map((row) => deliveryRow.parse(row)).at(0);
}

/** The bytes of a delivery that was found, one piece after the other. */
export async function* eachDeliveryPiece(db: Queryable, id: string): AsyncGenerator<Buffer> {
  for (let piece = 0; ; piece++) {
    const { rows } = await db.query<{ bytes: Buffer }>(
      'select bytes from delivery_pieces where delivery_id = $1 and piece = $2',
      [id, piece],
    );
    if (!rows[0]) return;
    yield rows[0].bytes;
  }
}

/** @returns whether there was one that the account may throw away */
export async function removeDelivery(
  db: Queryable,
  account: string,
  character: string,
  id: string,
): Promise<boolean> {
  const { rowCount } = await db.query(
    `delete from deliveries d
     using characters c
     where d.id = $3 and c.id = d.character_id and c.id = $1 and ${mayChange('c.shelf_id', '$2')}`,
    [character, account, id],
  );
  return rowCount === 1;
}
