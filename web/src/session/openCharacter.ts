import {
  characterAnswer,
  decodeRows,
  unpackFrame,
  weightsHeader,
  type CharacterAnswer,
} from '@judoka/contract';
import { createKernels, type WeightRows } from '@judoka/core';
import { HttpError, request, requestBytes } from '../api/http.ts';
import { readInWorker } from '../workers/reader.ts';
import type { ReadResult } from '../workers/reader.worker.ts';
import { CharacterSession } from './CharacterSession.ts';
import { createSessionPart, partBytes } from './sessionPart.ts';
import { stripBytes } from './bendStrip.ts';

type Tell = (stage: string, share: number) => void;

/** Opens a character: fetches it, reads it in a worker, and lays its arrays out for painting. */
export async function openCharacter(id: string, tell: Tell, signal: AbortSignal): Promise<CharacterSession> {
  tell('Fetching', 0);
  const [answer, source, weights] = await Promise.all([
    fetchAnswer(id),
    requestBytes(`/api/characters/${id}/source.glb`, (share) => tell('Fetching', share * 0.3)),
    requestBytes(`/api/characters/${id}/weights`),
  ]);
  signal.throwIfAborted();
  const read = await readInWorker(source, (stage, share) => tell(stage, 0.3 + share * 0.6), signal);
  signal.throwIfAborted();
  tell('Laying out', 0.95);
  const frame = unpackFrame(weights);
  const { head } = weightsHeader.parse(frame.header);
  const rows = decodeRows(frame.blobs[0]);
  checkFits(read, rows);
  const session = await layOut({ ...answer, head }, read, rows);
  await session.adoptUnsent();
  if (head !== answer.head) await session.catchUp();
  return session;
}

async function fetchAnswer(id: string): Promise<CharacterAnswer> {
  const response = await request(`/api/characters/${id}`);
  return characterAnswer.parse(await response.json());
}

function checkFits(read: ReadResult, rows: readonly WeightRows[]): void {
  const { parts } = read.character;
  if (rows.length === parts.length && rows.every(({ pointCount }, i) => pointCount === parts[i].pointCount))
    return;
  throw new HttpError(
    'server-failed',
    'The stored weights do not fit the stored model. Restore this character from a backup.',
  );
}

async function layOut(
  answer: CharacterAnswer,
  read: ReadResult,
  rows: readonly WeightRows[],
): Promise<CharacterSession> {
  const jointCount = read.character.skeleton.joints.length;
  const bytes = read.character.parts.reduce(
    (sum, part, i) =>
      sum + partBytes(part, rows[i].stride, jointCount, read.neighbours[i].points.length + part.pointCount),
    0,
  );
  const kernels = await createKernels(
    bytes + stripBytes(jointCount, read.character.parts.length) + jointCount + 4096,
  );
  const parts = read.character.parts.map((_, index) => createSessionPart(kernels, read, index, rows[index]));
  return new CharacterSession(answer, read.character, kernels, parts);
}
