import { requestBytes } from '../api/http.ts';
import { findAttachment, keepAttachment } from './queue/editStore.ts';
import { sendAttachment } from './queue/postEdits.ts';

/** Attachments that this page has fetched or made; they never change. */
const held = new Map<string, Promise<Uint8Array>>();

/**
 * Keeps bytes in the browser under a new id, to be sent before the edit that names it.
 * @returns the id
 */
export async function addAttachment(character: string, bytes: Uint8Array<ArrayBuffer>): Promise<string> {
  const id = crypto.randomUUID();
  held.set(id, Promise.resolve(bytes));
  await keepAttachment({ id, character, bytes });
  return id;
}

/** Sends what an edit needs; what was sent before is not kept here any more. */
export async function sendAttachments(character: string, ids: readonly string[]): Promise<void> {
  for (const id of ids) {
    const stored = await findAttachment(id);
    if (stored) await sendAttachment(character, id, stored.bytes);
  }
}

/** The bytes of an attachment, from this browser or from the server. */
export function attachmentBytes(character: string, id: string): Promise<Uint8Array> {
  const known = held.get(id);
  if (known) return known;
  const fetched = findAttachment(id).then(
    async (stored) => stored?.bytes ?? (await requestBytes(`/api/characters/${character}/attachments/${id}`)),
  );
  held.set(id, fetched);
  fetched.catch(() => held.delete(id));
  return fetched;
}
