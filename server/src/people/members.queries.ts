import { invitation, person, type Invitation, type Person, type Role } from '@judoka/contract';
import { transaction, type Database, type Queryable } from '../database.ts';
import { RequestError } from '../http/requestError.ts';

/** Who is on a shelf, in the order in which they came. */
export async function listPeople(db: Queryable, account: string, shelf: string): Promise<Person[]> {
  const { rows } = await db.query<object>(
    `select a.id, a.name, m.role, a.id = $2 as "isMe"
     from shelf_members m
     join accounts a on a.id = m.account_id
     where m.shelf_id = $1
     order by m.since, a.name`,
    [shelf, account],
  );
  return rows.map((row) => person.parse(row));
}

/** Invitations that can still be taken. */
export async function listInvitations(db: Queryable, shelf: string): Promise<Invitation[]> {
  const { rows } = await db.query<{ expires_at: Date }>(
    `select i.id, i.role, a.name as by, i.expires_at
     from invitations i
     join accounts a on a.id = i.made_by
     where i.shelf_id = $1 and i.expires_at > now()
     order by i.made_at`,
    [shelf],
  );
  return rows.map(({ expires_at, ...row }) =>
    invitation.parse({ ...row, expiresAt: expires_at.toISOString() }),
  );
}

const lastOwner = (): RequestError =>
  new RequestError(
    'request-invalid',
    'A shelf has at least one owner, and one’s own shelf stays one’s own. Make somebody else an owner first.',
  );

/**
 * Gives somebody another role, or takes them off the shelf (`undefined`).
 * @throws RequestError where the shelf would have no owner, or it is the person's own
 */
export async function changeMember(
  database: Database,
  shelf: string,
  account: string,
  role: Role | undefined,
): Promise<boolean> {
  return transaction(database, async (db) => {
    // Two owners who leave at once: one of them has to stay.
    const { rows } = await db.query<{ own_of: string | null }>(
      'select own_of from shelves where id = $1 for update',
      [shelf],
    );
    if (rows.length === 0) return false;
    if (rows[0].own_of === account && role !== 'owner') throw lastOwner();
    const { rowCount } = role
      ? await db.query('update shelf_members set role = $3 where shelf_id = $1 and account_id = $2', [
          shelf,
          account,
          role,
        ])
      : await db.query('delete from shelf_members where shelf_id = $1 and account_id = $2', [shelf, account]);
    const { rowCount: owners } = await db.query(
      `select from shelf_members where shelf_id = $1 and role = 'owner'`,
      [shelf],
    );
    if (owners === 0) throw lastOwner();
    return rowCount === 1;
  });
}
