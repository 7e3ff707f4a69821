import { placeAnswer, type PlaceAnswer } from '@judoka/contract';
import { z } from 'zod';
import type { Queryable } from '../database.ts';

const note = z.object({ at: z.iso.datetime() });

/** What the backups of this place have left word of. */
export async function findBackups(db: Queryable): Promise<PlaceAnswer> {
  const { rows } = await db.query<{ name: string; value: string }>(
    `select name, value from place where name in ('last-backup', 'backup-failure')`,
  );
  const at = (name: string): string | null => {
    const row = rows.find((each) => each.name === name);
    return row ? note.parse(JSON.parse(row.value)).at : null;
  };
  return placeAnswer.parse({ backedUpAt: at('last-backup'), failedAt: at('backup-failure') });
}
