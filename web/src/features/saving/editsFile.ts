import { decodeWeights, skeletonChange, valueChange } from '@judoka/contract';
import { editOf, editsOf, isEmptyEdit, type Edit } from '@judoka/core/document';
import { CoreError } from '@judoka/core/errors';
import { z } from 'zod';
import { request } from '../../api/http.ts';
import {
  editsOfCharacter,
  findAttachment,
  keepAttachment,
  refusedOfCharacter,
} from '../../document/queue/editStore.ts';
import type { OpenDocument } from '../../document/OpenDocument.ts';

/** Edits that are kept in this browser, as a file: to be taken in again here, in another browser, or at another address. */
const editsFile = z.object({
  format: z.literal('judoka-edits'),
  version: z.literal(1),
  character: z.object({ id: z.uuid(), name: z.string() }),
  edits: z.array(
    z.object({
      id: z.uuid(),
      label: z.string().min(1),
      change: z.base64(),
      joints: skeletonChange,
      values: valueChange,
      attachments: z.array(z.object({ id: z.uuid(), bytes: z.base64() })),
    }),
  ),
});
type EditsFile = z.infer<typeof editsFile>;

type Keeping = Pick<OpenDocument, 'id' | 'name'>;
type Taking = Pick<OpenDocument, 'id' | 'name' | 'parts' | 'perform' | 'rebase' | 'history'>;

const toBase64 = (bytes: Uint8Array): string => {
  let text = '';
  for (let from = 0; from < bytes.length; from += 0x8000)
    text += String.fromCharCode(...bytes.subarray(from, from + 0x8000));
  return btoa(text);
};
const fromBase64 = (text: string): Uint8Array<ArrayBuffer> =>
  Uint8Array.from(atob(text), (letter) => letter.charCodeAt(0));

/** Everything of a character that this browser keeps and the server does not have. @returns undefined if that is nothing */
export async function writeEditsFile(
  document: Keeping,
): Promise<{ name: string; bytes: Uint8Array<ArrayBuffer> } | undefined> {
  const kept = [...(await refusedOfCharacter(document.id)), ...(await editsOfCharacter(document.id))];
  if (kept.length === 0) return undefined;
  const edits: EditsFile['edits'] = [];
  for (const { id, kind, label, change, joints = [], values = [], attachments = [] } of kept) {
    const found = await Promise.all(attachments.map(findAttachment));
    edits.push({
      id,
      label: kind === 'edit' ? label : `${kind === 'undo' ? 'Undo' : 'Redo'} ${label}`,
      change: toBase64(change),
      joints: [...joints],
      values: [...values],
      attachments: found.flatMap((each) => (each ? [{ id: each.id, bytes: toBase64(each.bytes) }] : [])),
    });
  }
  const file: EditsFile = {
    format: 'judoka-edits',
    version: 1,
    character: { id: document.id, name: document.name },
    edits,
  };
  const words = document.name.replace(/[^\p{L}\p{N} _-]+/gu, '').trim() || 'character';
  return {
    name: `${words}, kept edits.json`,
    bytes: new TextEncoder().encode(JSON.stringify(file)),
  };
}

/**
 * Does the edits of a file again, on the character as it is now; those that are in its history are left out.
 * @returns how many changed something
 * @throws CoreError where the file is none, or does not belong to the character
 */
export async function takeEditsFile(document: Taking, text: string): Promise<number> {
  const { character, edits } = readFile(text);
  const fresh = await withoutKnown(document, edits);
  const read = fresh.map(({ id, label, change, joints, values, attachments }) => ({
    id,
    label,
    attachments,
    edit: editOf({ weights: decodeWeights(fromBase64(change)), joints, values }),
  }));
  for (const { edit } of read) checkPlaces(document, edit, character.name);
  let count = 0;
  for (const { id, label, edit, attachments } of read) {
    const { edit: now } = document.rebase(edit, new Map());
    if (isEmptyEdit(now)) continue;
    for (const each of attachments)
      await keepAttachment({ id: each.id, character: document.id, bytes: fromBase64(each.bytes) });
    await document.perform(label, now, { attachments: attachments.map((each) => each.id) });
    noteTaken(id);
    count++;
  }
  return count;
}

const TAKEN = 'judoka.takenEdits';
/** So many are remembered. */
const MOST_TAKEN = 2000;

/** Edits that were taken in from a file before, in this browser: they have other ids since. */
function takenBefore(): string[] {
  const read = z.array(z.string()).safeParse(JSON.parse(localStorage.getItem(TAKEN) ?? '[]'));
  return read.data ?? [];
}

function noteTaken(id: string): void {
  localStorage.setItem(TAKEN, JSON.stringify([...takenBefore(), id].slice(-MOST_TAKEN)));
}

/** Those that neither this page, nor this browser, nor the server has done already. */
async function withoutKnown(document: Taking, edits: EditsFile['edits']): Promise<EditsFile['edits']> {
  const { done, undone } = document.history;
  const known = new Set([...editsOf(done), ...editsOf(undone)].map(({ id }) => id));
  for (const id of takenBefore()) known.add(id);
  const fresh: EditsFile['edits'] = [];
  for (const edit of edits)
    if (!known.has(edit.id) && !(await isOnServer(document.id, edit.id))) fresh.push(edit);
  return fresh;
}

/** While the server is away, what this page knows has to do. */
const isOnServer = (character: string, edit: string): Promise<boolean> =>
  request(`/api/characters/${character}/edits/${edit}`).then(
    () => true,
    () => false,
  );

function readFile(text: string): EditsFile {
  let value: unknown;
  try {
    value = JSON.parse(text);
  } catch {
    value = undefined;
  }
  const read = editsFile.safeParse(value);
  if (!read.success)
    throw new CoreError('file-invalid', 'This is no file of kept edits, or not a whole one.');
  return read.data;
}

function checkPlaces(document: Taking, { weights }: Edit, name: string): void {
  const fits = weights.every(
    ({ part, points }) =>
      part < document.parts.length && points.every((point) => point < document.parts[part].part.pointCount),
  );
  if (!fits)
    throw new CoreError(
      'file-invalid',
      `These edits belong to “${name}”, whose parts are other ones than here.`,
    );
}
