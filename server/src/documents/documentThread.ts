// What a thread of documents does: everything that decodes, replays or packs weights, off the server's main thread.
import { workerData } from 'node:worker_threads';
import {
  decodeSelection,
  documentHeader,
  editHeader,
  type EditsAnswer,
  encodeRows,
  laterEditsHeader,
  type LogQuery,
  momentHeader,
  packFrame,
  type HistoryLine,
  type TouchedLine,
  unpackFrame,
} from '@judoka/contract';
import type { DocumentValues } from '@judoka/core/document';
import type { JointSetups } from '@judoka/core/skeleton';
import { openDatabase, transaction, type Queryable } from '../database.ts';
import { asFailure, type Outcome } from '../http/outcome.ts';
import { RequestError } from '../http/requestError.ts';
import { acceptEdits } from './acceptEdits.ts';
import { CHECKPOINT_REACH, insertCheckpoint, pruneCheckpoints } from './checkpoints.queries.ts';
import { DocumentCache } from './documentCache.ts';
import { eachEdit, findContent, findStack } from './edits.queries.ts';
import { findHead, findValues, type Head } from './heads.queries.ts';
import { loadDocument, loadRows, readSkeleton, type LoadedDocument } from './loadDocument.ts';
import { loadMoment } from './loadMoment.ts';
import { eachPlaces, findLines, findLinesAt, findSeq } from './log.queries.ts';
import { countMarked } from './pointRuns.ts';
import { storedWeightsAsSent } from './storedWeights.ts';
import { summarizeOldLines } from './summarizeOldLines.ts';

const database = openDatabase((workerData as { readonly databaseUrl: string }).databaseUrl, 3);
const cache = new DocumentCache();

/** A checkpoint is also due after so many bytes of edits. */
const CHECKPOINT_BYTES = 32 * 2 ** 20;
/** Edits that can be undone which come with a document; more are asked for. */
const HISTORY_PAGE = 100;
/** Bytes of later edits in one answer; one edit at least. */
const LATER_BYTES = 16 * 2 ** 20;
const LATER_EDITS = 64;

export interface Question {
  readonly account: string;
  readonly character: string;
}

/** A character as it is now. */
export interface Snapshot {
  readonly name: string;
  readonly head: number;
  readonly weights: Uint8Array;
  readonly setups: JointSetups;
  readonly values: DocumentValues;
}

async function answer<T>(work: () => Promise<T>): Promise<Outcome<T>> {
  try {
    return { ok: true, value: await work() };
  } catch (error) {
    return asFailure(error);
  }
}

const missing = (): RequestError =>
  new RequestError('not-found', 'This character does not exist, or is not yours.');

async function headOf({ account, character }: Question, db: Queryable = database): Promise<Head> {
  const head = await findHead(db, account, character);
  if (!head) throw missing();
  return head;
}

/** Appends edits that came as a frame. @returns the new head */
export const append = (question: Question & { readonly bytes: Uint8Array }): Promise<Outcome<EditsAnswer>> =>
  answer(async () => {
    const { header, blobs } = unpackFrame(question.bytes);
    const { head, behind, document } = await transaction(database, (db) =>
      acceptEdits(db, cache, { ...question, header, blobs }),
    );
    if (document) {
      cache.put(question.character, document);
      await makeCheckpoint(question.character, document);
    }
    return { head, behind };
  });

async function makeCheckpoint(character: string, document: LoadedDocument): Promise<void> {
  const { head, checkpoint, bytesSince, state } = document;
  if (head - checkpoint < CHECKPOINT_REACH && bytesSince < CHECKPOINT_BYTES) return;
  document.checkpoint = head;
  document.bytesSince = 0;
  try {
    await insertCheckpoint(database, character, head, state.rows);
    await pruneCheckpoints(database, character);
  } catch (error) {
    // The next batch tries again; until then there is more to replay.
    document.checkpoint = checkpoint;
    document.bytesSince = bytesSince;
    console.error('A checkpoint could not be made:', error);
  }
}

/** The document at its head as a frame: all from one moment. */
export const open = (question: Question): Promise<Outcome<Uint8Array>> =>
  answer(async () => {
    const { account, character } = question;
    if (!(await headOf(question)).skeleton) await readSkeleton(database, character);
    return transaction(
      database,
      async (db) => {
        const head = await findHead(db, account, character);
        if (!head) throw missing();
        const done = await findStack(db, character, head.undoTop, HISTORY_PAGE);
        const undone = await findStack(db, character, head.redoTop, HISTORY_PAGE);
        const refs = (edits: typeof done) => edits.map(({ id, label }) => ({ id, label }));
        const document = cache.take(character, head) ?? (await loadDocument(db, character, head));
        const weights = encodeRows(document.state.rows);
        cache.put(character, document);
        return packFrame(
          documentHeader.parse({
            id: character,
            name: head.name,
            role: head.role,
            arrival: head.arrival,
            head: head.head,
            joints: head.setups,
            values: await findValues(db, character),
            done: refs(done),
            moreDone: (done.at(-1)?.below ?? null) !== null,
            undone: refs(undone),
          }),
          [weights],
        );
      },
      'repeatable read',
    );
  });

/** Edits after a head as a frame, as many as fit. */
export const later = (question: Question & { readonly after: number }): Promise<Outcome<Uint8Array>> =>
  answer(async () => {
    const { head } = await headOf(question);
    const entries: object[] = [];
    const blobs: Uint8Array[] = [];
    let [bytes, last] = [0, Math.min(question.after, head)];
    for await (const edit of eachEdit(database, question.character, question.after, head)) {
      const { id, kind, label, target, joints, values } = edit;
      const delta = edit.delta && storedWeightsAsSent(edit.delta);
      if (
        entries.length > 0 &&
        (bytes + (delta?.length ?? 0) > LATER_BYTES || entries.length === LATER_EDITS)
      )
        break;
      const weights = delta ? { blob: blobs.push(delta) - 1 } : undefined;
      entries.push({ id, kind, label, target: target ?? undefined, joints, values, weights });
      bytes += delta?.length ?? 0;
      last = edit.seq;
    }
    return packFrame(laterEditsHeader.parse({ head: last, entries, more: last < head }), blobs);
  });

/** What one edit did, as a frame. */
export const content = (question: Question & { readonly edit: string }): Promise<Outcome<Uint8Array>> =>
  answer(async () => {
    await headOf(question);
    const stored = await findContent(database, question.character, question.edit);
    if (!stored) throw new RequestError('not-found', 'There is no such edit.');
    const { joints, values, delta } = stored;
    return packFrame(editHeader.parse({ joints, values }), delta ? [storedWeightsAsSent(delta)] : []);
  });

/** Weights and joints at the head, to be written into a file. */
export const snapshot = (question: Question): Promise<Outcome<Snapshot>> =>
  answer(() =>
    transaction(
      database,
      async (db) => {
        const { head, name, setups } = await headOf(question, db);
        const { rows } = await loadRows(db, question.character, head);
        const values = await findValues(db, question.character);
        return { name, head, weights: encodeRows(rows), setups, values };
      },
      'repeatable read',
    ),
  );

/** Lines of the log that fit a search, the last one first. */
export const log = (
  question: Question & { readonly query: LogQuery },
): Promise<Outcome<{ lines: HistoryLine[]; more: boolean }>> =>
  answer(async () => {
    const { character, query } = question;
    await headOf(question);
    await summarizeOldLines(database, character);
    const lines = await findLines(database, character, { ...query, limit: query.limit + 1 });
    return { lines: lines.slice(0, query.limit), more: lines.length > query.limit };
  });

/** The last lines that changed points of a selection. */
export const touching = (
  question: Question & { readonly bytes: Uint8Array; readonly limit: number },
): Promise<Outcome<{ lines: TouchedLine[]; more: boolean }>> =>
  answer(async () => {
    const { character, bytes, limit } = question;
    const { head } = await headOf(question);
    const marked = markPoints(bytes);
    await summarizeOldLines(database, character);
    const touched = new Map<number, number>();
    for await (const { seq, places } of eachPlaces(database, character, head)) {
      const count = countMarked(places, marked);
      if (count > 0) touched.set(seq, count);
      if (touched.size > limit) break;
    }
    const seqs = [...touched.keys()].slice(0, limit);
    const lines = await findLinesAt(database, character, seqs);
    return {
      lines: lines.map((line) => ({ ...line, touched: touched.get(line.seq) ?? 0 })),
      more: touched.size > limit,
    };
  });

/** More than any part has: a number that is asked for is memory that is taken. */
const MAX_POINT = 4_000_000;

function markPoints(bytes: Uint8Array): Map<number, Uint8Array> {
  const marked = new Map<number, Uint8Array>();
  for (const [part, points] of readSelection(bytes)) {
    const last = points.reduce((most, p) => Math.max(most, p), -1);
    if (last >= MAX_POINT)
      throw new RequestError('request-invalid', 'A point is asked about that no part has.');
    const mask = new Uint8Array(last + 1);
    for (const p of points) mask[p] = 1;
    marked.set(part, mask);
  }
  return marked;
}

function readSelection(bytes: Uint8Array): Map<number, Uint32Array> {
  try {
    return decodeSelection(bytes);
  } catch {
    throw new RequestError('request-invalid', 'The points that are asked about cannot be read.');
  }
}

/** The character as it was after a line of its log, as a frame. */
export const moment = (
  question: Question & { readonly moment: number | string },
): Promise<Outcome<Uint8Array>> =>
  answer(() =>
    transaction(
      database,
      async (db) => {
        const { character, moment: asked } = question;
        const head = await headOf(question, db);
        const seq = typeof asked === 'number' ? asked : await findSeq(db, character, asked);
        if (seq === undefined || seq > head.head)
          throw new RequestError('not-found', 'There is no such moment in the history of this character.');
        const { rows, setups, values } = await loadMoment(db, character, head, seq);
        return packFrame(momentHeader.parse({ seq, joints: setups, values }), [encodeRows(rows)]);
      },
      'repeatable read',
    ),
  );
