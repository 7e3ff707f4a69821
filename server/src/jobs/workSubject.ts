import { readSettings } from '@judoka/core/document';
import { readSource } from '../characters/sources.queries.ts';
import type { Database } from '../database.ts';
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
  return { ...snapshot, source: await readSource(database, character), selections: held };
}
