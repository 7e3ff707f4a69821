import type { Elsewhere } from '@judoka/contract';
import type { Request } from 'express';
import type { Queryable } from '../database.ts';

/** The address under which a page was reached. */
export const addressOf = (request: Pick<Request, 'protocol' | 'headers'>): string =>
  `${request.protocol}://${request.headers.host ?? ''}`;

/**
 * Notes under which address a page has a character open. Earlier pages of that address are settled: the one that opens
 * takes over what they had left.
 */
export async function keepOpening(
  db: Queryable,
  account: string,
  character: string,
  page: string,
  address: string,
): Promise<void> {
  await db.query(
    `insert into openings (character_id, page, account_id, address)
     values ($1, $2, $3, $4)
     on conflict (character_id, page) do update set seen_at = now()`,
    [character, page, account, address],
  );
  await db.query(
    `delete from openings o
     where o.character_id = $1 and o.account_id = $2 and o.address = $3 and o.page <> $4
       and o.seen_at < now() - interval '5 minutes'`,
    [character, account, address, page],
  );
}

export async function dropOpening(
  db: Queryable,
  account: string,
  character: string,
  page: string,
): Promise<void> {
  await db.query('delete from openings where character_id = $1 and page = $2 and account_id = $3', [
    character,
    page,
    account,
  ]);
}

/** Other addresses under which the account had the character open and did not close it with everything saved. */
export async function listElsewhere(
  db: Queryable,
  account: string,
  character: string,
  here: string,
): Promise<Elsewhere[]> {
  const { rows } = await db.query<{ address: string; seen_at: Date }>(
    `select address, max(seen_at) as seen_at
     from openings o
     where o.character_id = $1 and o.account_id = $2 and o.address <> $3
       and o.seen_at > now() - interval '60 days'
       and not exists (
         select from presence p
         where p.character_id = $1 and p.page = o.page and p.seen_at > now() - interval '70 seconds'
       )
     group by address
     order by max(seen_at) desc`,
    [character, account, here],
  );
  return rows.map(({ address, seen_at }) => ({ address, seenAt: seen_at.toISOString() }));
}
