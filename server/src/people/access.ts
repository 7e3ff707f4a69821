import type { Role } from '@judoka/contract';
import type { RequestHandler } from 'express';
import { accountId } from '../accounts/session.ts';
import type { Database, Queryable } from '../database.ts';
import { missing } from '../http/bodies.ts';
import { RequestError } from '../http/requestError.ts';

// Every query that touches a character carries one of these conditions; what the account cannot see is not there. The shelf
// is named with its table: a bare column would be taken for the member's own and hold for everybody.

type Qualified = `${string}.${string}` | `$${number}`;

/** SQL: the account may look at what stands on the shelf. */
export const mayLook = (shelf: Qualified, account: string): string =>
  `exists (select from shelf_members m where m.shelf_id = ${shelf} and m.account_id = ${account})`;

/** SQL: the account may change what stands on the shelf. */
export const mayChange = (shelf: Qualified, account: string): string =>
  `exists (
     select from shelf_members m
     where m.shelf_id = ${shelf} and m.account_id = ${account} and m.role <> 'guest'
   )`;

/** SQL: the account says who is on the shelf, and what leaves it. */
export const mayManage = (shelf: Qualified, account: string): string =>
  `exists (
     select from shelf_members m
     where m.shelf_id = ${shelf} and m.account_id = ${account} and m.role = 'owner'
   )`;

/** What an account may do with a character; undefined where it may not even know of it. */
async function findRole(db: Queryable, account: string, character: string): Promise<Role | undefined> {
  const { rows } = await db.query<{ role: Role }>(
    `select m.role
     from characters c
     join shelf_members m on m.shelf_id = c.shelf_id
     where c.id = $1 and m.account_id = $2`,
    [character, account],
  );
  return rows[0]?.role;
}

/** Lets only those pass who may change the character of the route's `:id`: a guest is told why, a stranger that it is not there. */
export function needPainter(database: Database): RequestHandler<{ id: string }> {
  return async (request, _response, next) => {
    // What is no id at all is refused by the route's own schema.
    if (/^[0-9a-f-]{36}$/i.test(request.params.id)) {
      const found = await findRole(database, accountId(request), request.params.id);
      if (!found) throw missing();
      if (found === 'guest') throw guestRefusal();
    }
    next();
  };
}

export const guestRefusal = (): RequestError =>
  new RequestError(
    'not-allowed',
    'You are a guest here: you may look and comment, not change. An owner of the shelf can make you a painter.',
  );
