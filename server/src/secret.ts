import { randomBytes } from 'node:crypto';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import type { Queryable } from './database.ts';

/**
 * The secret that signs cookies: one for the place, so that any of its servers knows a browser. A place that was made
 * before had it in a file, which is taken over, so that nobody is signed out.
 */
export async function cookieSecret(db: Queryable, dataFolder: string): Promise<string> {
  const { rows } = await db.query<{ value: string }>(
    `insert into place (name, value)
     values ('cookie-secret', $1)
     on conflict (name) do update set value = place.value
     returning value`,
    [earlierSecret(dataFolder) ?? randomBytes(32).toString('hex')],
  );
  return rows[0].value;
}

function earlierSecret(dataFolder: string): string | undefined {
  try {
    return readFileSync(join(dataFolder, 'session-secret'), 'utf8').trim() || undefined;
  } catch {
    return undefined;
  }
}
