import { readSettings } from '@judoka/core/document';
import { readSource } from '../characters/sources.queries.ts';
import { findAccount } from '../accounts/accounts.queries.ts';
import type { Database } from '../database.ts';
import { listDeliveries } from '../deliveries/deliveries.queries.ts';
import { findAttachment } from '../documents/attachments.queries.ts';
import type { DocumentThreads } from '../documents/DocumentThreads.ts';
import type { WorkSubject } from './jobThread.ts';

/**
 * A character as it is now, as a thread of heavy work takes it.
 * @throws RequestError `not-found` where the character is gone, or the account no longer sees it
 */
export async function subjectOf(
  database: Database,
  documents: DocumentThreads,
  account: string,
  character: string,
): Promise<WorkSubject> {
  const snapshot = await documents.snapshot({ account, character });
  const { confines, selections } = readSettings(snapshot.values);
  const named = selections.filter((each) => Object.values(confines).includes(each.id));
  const held = new Map<string, Uint8Array>();
  for (const { attachment } of named) {
    const bytes = await findAttachment(database, account, character, attachment);
    if (bytes) held.set(attachment, bytes);
  }
  const who = await findAccount(database, account);
  const deliveries = await listDeliveries(database, account, character);
  const delivered = deliveries.map(({ madeAt, by, file, profile, lines, cost }) => {
    const open = lines.filter(({ isMet }) => !isMet);
    const met =
      open.length === 0 ? `meets “${profile}”` : `“${profile}”: ${open.map(({ words }) => words).join(' ')}`;
    const costs =
      cost === null ? '' : `; rounding moves the surface by ${(1000 * cost).toPrecision(2)} mm at most`;
    return { at: new Date(madeAt), file, words: `by ${by}, ${met}${costs}` };
  });
  const source = await readSource(database, character);
  return { ...snapshot, source, selections: held, by: who?.name, delivered };
}
