import type { Queryable } from '../database.ts';

export async function insertCheckpoint(
  db: Queryable,
  character: string,
  seq: number,
  weights: Uint8Array,
): Promise<void> {
  await db.query(
    `insert into checkpoints (character_id, seq, weights)
     values ($1, $2, $3)
     on conflict (character_id, seq) do nothing`,
    [character, seq, Buffer.from(weights.buffer, weights.byteOffset, weights.byteLength)],
  );
}

/** The last checkpoint at or before a number. */
export async function findCheckpoint(
  db: Queryable,
  character: string,
  upTo: number,
): Promise<{ seq: number; weights: Buffer } | undefined> {
  const { rows } = await db.query<{ seq: number; weights: Buffer }>(
    `select seq, weights
     from checkpoints
     where character_id = $1 and seq <= $2
     order by seq desc
     limit 1`,
    [character, upTo],
  );
  return rows[0];
}

/** The first checkpoint, the last few, and of those between ever fewer the older they are. */
export async function pruneCheckpoints(db: Queryable, character: string): Promise<void> {
  await db.query(
    `delete from checkpoints c
     using (
       select seq,
              row_number() over (order by seq desc) as age,
              row_number() over (partition by floor(ln(last - seq + 1)) order by seq) as place
       from checkpoints, (select max(seq) as last from checkpoints where character_id = $1) as newest
       where character_id = $1
     ) as r
     where c.character_id = $1 and c.seq = r.seq and c.seq > 0 and r.age > 3 and r.place > 1`,
    [character],
  );
}
