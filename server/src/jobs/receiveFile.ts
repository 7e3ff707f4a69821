import { randomUUID } from 'node:crypto';
import { MAX_UPLOAD_BYTES } from '@judoka/contract';
import type { Request } from 'express';
import type { Database } from '../database.ts';
import { RequestError } from '../http/requestError.ts';
import { dropJob, finishComing, insertImport, insertJobPiece } from './jobs.queries.ts';

const PIECE_BYTES = 2 * 2 ** 20;
const BINARY = 'application/octet-stream';

/** What of an upload is held at once is one piece, however large it is and however many come. */
export async function receiveFile(
  database: Database,
  request: Request,
  to: { readonly id?: string; readonly account: string; readonly shelf: string; readonly name: string },
): Promise<string> {
  if (request.headers['content-type'] !== BINARY)
    throw new RequestError('request-invalid', `The body must be of type ${BINARY}.`);
  if (request.headers['content-encoding'] !== undefined)
    throw new RequestError('request-invalid', 'The body must come as it is, not squeezed.');
  const announced = Number(request.headers['content-length'] ?? 0);
  if (announced > MAX_UPLOAD_BYTES) throw tooLarge(announced);
  const id = to.id ?? randomUUID();
  if (!(await insertImport(database, { ...to, id }))) {
    request.resume();
    return id;
  }
  try {
    const bytes = await keepPieces(database, id, request);
    if (bytes === 0) throw new RequestError('file-empty', 'The file is empty.');
    await finishComing(database, id, bytes);
    return id;
  } catch (error) {
    await dropJob(database, id).catch(() => undefined);
    throw error;
  }
}

async function keepPieces(database: Database, id: string, body: AsyncIterable<Buffer>): Promise<number> {
  let held: Buffer[] = [];
  let [heldBytes, total, piece] = [0, 0, 0];
  const flush = async (): Promise<void> => {
    if (heldBytes === 0) return;
    await insertJobPiece(database, id, piece++, Buffer.concat(held));
    [held, heldBytes] = [[], 0];
  };
  for await (const chunk of body) {
    total += chunk.length;
    if (total > MAX_UPLOAD_BYTES) throw tooLarge(total);
    held.push(chunk);
    heldBytes += chunk.length;
    if (heldBytes >= PIECE_BYTES) await flush();
  }
  await flush();
  return total;
}

const tooLarge = (bytes: number): RequestError =>
  new RequestError('file-too-large', 'The file is larger than 256 MB and cannot be taken.', { bytes });
