import {
  characterAnswer,
  decodeRows,
  unpackFrame,
  weightsHeader,
  type CharacterAnswer,
} from '@judoka/contract';
import { countBytes, createKernelMemory } from '@judoka/core/memory';
import { createRowBatch, DEFAULT_STRIDE, type WeightRows } from '@judoka/core/weights';
import type { JointSetups } from '@judoka/core/skeleton';
import { HttpError, request, requestBytes } from '../api/http.ts';
import { readInWorker } from '../workers/reader.ts';
import type { ReadResult } from '../workers/reader.worker.ts';
import { CharacterSession } from './CharacterSession.ts';
import { Rig } from './rig.ts';
import { createSessionPart, layPart } from './sessionPart.ts';
import { layStrip } from './bendStrip.ts';
import { createPaintWorkspace } from '@judoka/core/operations/paint';

type Tell = (stage: string, share: number) => void;

/** Opens a character: fetches it, reads it in a worker, and lays its arrays out for painting. */
export async function openCharacter(id: string, tell: Tell, signal: AbortSignal): Promise<CharacterSession> {
  tell('Fetching', 0);
  const [first, source, weights] = await Promise.all([
    fetchAnswer(id),
    requestBytes(`/api/characters/${id}/source.glb`, (share) => tell('Fetching', share * 0.3)),
    requestBytes(`/api/characters/${id}/weights`),
  ]);
  signal.throwIfAborted();
  const read = await readInWorker(source, (stage, share) => tell(stage, 0.3 + share * 0.6), signal);
  signal.throwIfAborted();
  tell('Laying out', 0.95);
  const frame = unpackFrame(weights);
  const { head, joints } = weightsHeader.parse(frame.header);
  const rows = decodeRows(frame.blobs[0]);
  checkFits(read, rows);
  // Others may be at work: the log up to the weights that were fetched, then what came since.
  const answer = head > first.head ? await fetchAnswer(id) : first;
  const history = answer.history.slice(0, head);
  const session = await layOut({ ...answer, head, history }, read, rows, joints);
  if (head < answer.head) await session.log.catchUp();
  await session.log.adoptUnsent();
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

/** A session on what was read, with its arrays laid out for painting. */
export async function layOut(
  answer: CharacterAnswer,
  read: ReadResult,
  rows: readonly WeightRows[],
  joints: JointSetups,
): Promise<CharacterSession> {
  const rig = new Rig(read.character, joints);
  const { room } = rig;
  const memory = await createKernelMemory(
    countBytes((counted) => [
      read.character.parts.map((part, i) => {
        const { stride } = rows[i];
        const { offsets, points } = read.neighbours[i];
        return [
          layPart(counted, part, stride, room, points.length),
          createPaintWorkspace(counted, part.pointCount, stride, { offsets, points }),
        ];
      }),
      layStrip(counted, room, read.character.parts.length),
      createRowBatch(counted, DEFAULT_STRIDE),
      counted.u8(room),
    ]),
  );
  const parts = read.character.parts.map((_, index) =>
    createSessionPart(memory, read, index, rows[index], room),
  );
  return new CharacterSession(answer, rig, memory, parts);
}
