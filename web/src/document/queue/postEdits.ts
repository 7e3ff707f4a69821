import {
  editsAnswer,
  type EditsAnswer,
  MAX_PIECE_BYTES,
  packFrame,
  type EditsHeader,
} from '@judoka/contract';
import { request } from '../../api/http.ts';
import type { StoredEdit } from './editStore.ts';

/** An edit to be posted: what its line of the log says, and its weights as bytes. */
export interface PostedEdit extends Pick<
  StoredEdit,
  'id' | 'kind' | 'label' | 'target' | 'joints' | 'values'
> {
  /** None for an undo or redo, or where no weights change. */
  readonly bytes: Uint8Array | undefined;
}

const BINARY = { 'Content-Type': 'application/octet-stream' };

/**
 * Posts edits as one request. Weights that are larger than a piece are sent in pieces beforehand, which a repeat sends
 * anew; they count once the edit is in.
 * @returns the new head, and whether others' edits lie before it
 */
export async function postEdits(
  character: string,
  base: number,
  edits: readonly PostedEdit[],
): Promise<EditsAnswer> {
  const path = `/api/characters/${character}/edits`;
  const blobs: Uint8Array[] = [];
  const entries: EditsHeader['entries'] = [];
  for (const { bytes, joints = [], values = [], ...line } of edits) {
    const isLarge = bytes !== undefined && bytes.length > MAX_PIECE_BYTES;
    if (isLarge) await sendPieces(`${path}/${line.id}/pieces`, bytes);
    const weights = isLarge
      ? { pieces: Math.ceil(bytes.length / MAX_PIECE_BYTES) }
      : bytes && { blob: blobs.push(bytes) - 1 };
    const isEdit = line.kind === 'edit';
    entries.push({
      ...line,
      weights,
      joints: isEdit && joints.length > 0 ? [...joints] : undefined,
      values: isEdit && values.length > 0 ? [...values] : undefined,
    });
  }
  const body = packFrame({ base, entries }, blobs);
  const response = await request(path, { method: 'POST', headers: BINARY, body });
  return editsAnswer.parse(await response.json());
}

async function sendPieces(path: string, bytes: Uint8Array): Promise<void> {
  for (let piece = 0; piece * MAX_PIECE_BYTES < bytes.length; piece++) {
    const body = bytes.slice(piece * MAX_PIECE_BYTES, (piece + 1) * MAX_PIECE_BYTES);
    await request(`${path}/${piece}`, { method: 'PUT', headers: BINARY, body });
  }
}

export async function sendAttachment(
  character: string,
  id: string,
  body: Uint8Array<ArrayBuffer>,
): Promise<void> {
  await request(`/api/characters/${character}/attachments/${id}`, { method: 'PUT', headers: BINARY, body });
}
