import {
  decodeWeights,
  editsHeader,
  logEntry,
  MAX_SAVED,
  type LogEntry,
  type WeightsPlace,
} from '@judoka/contract';
import { listWeightTroubles } from '@judoka/core/analysis/checkUp';
import {
  applyEdit,
  ID_SECTIONS,
  invertEdit,
  readSettings,
  type DocumentValues,
  type Edit,
  type Json,
} from '@judoka/core/document';
import { CoreError } from '@judoka/core/errors';
import { liveJoints, type JointSetup } from '@judoka/core/skeleton';
import { z } from 'zod';
import type { Queryable } from '../database.ts';
import { asked, firstIssue, RequestError } from '../http/requestError.ts';
import { missingAttachments } from './attachments.queries.ts';
import { CHECKPOINT_REACH, insertCheckpoint } from './checkpoints.queries.ts';
import type { DocumentCache } from './documentCache.ts';
import { summarizeEdit } from './editSummary.ts';
import { readStoredWeights, storeWeights } from './storedWeights.ts';
import {
  dropPieces,
  findContent,
  findKnownEdits,
  findLine,
  findPieces,
  insertEdits,
  type StoredEdit,
} from './edits.queries.ts';
import { keepValues, lockHead, moveHead, notifyHead, type Head } from './heads.queries.ts';
import { loadDocument, type LoadedDocument } from './loadDocument.ts';

/** Edits as they came: a header that is not checked yet, and its blobs. */
export interface SentEdits {
  readonly account: string;
  readonly character: string;
  readonly header: unknown;
  readonly blobs: readonly Uint8Array[];
}

export interface Accepted {
  readonly head: number;
  /** Others' edits lie between the base and these. */
  readonly behind: true | undefined;
  /** The document at the new head; undefined if nothing changed. To be kept once this is committed. */
  readonly document: LoadedDocument | undefined;
}

const missing = (): RequestError =>
  new RequestError('not-found', 'This character does not exist, or is not yours.');

/**
 * Appends edits to a character's log, in the transaction that `db` is in.
 *
 * A repeat of known ids changes nothing. The rest must fit the document that they meet; the first that does not is named,
 * and nothing of them is kept. Others may have been at work since the head that they name, where that touches nothing of
 * what these were made on.
 *
 * @throws RequestError `not-found`, `edit-clash` with the head, `edit-refused` with the edit's id
 */
export async function acceptEdits(
  db: Queryable,
  cache: DocumentCache,
  { account, character, header, blobs }: SentEdits,
): Promise<Accepted> {
  const { base: sentBase, entries } = readHeader(header);
  const head = await lockHead(db, account, character);
  if (!head) throw missing();
  const known = await findKnownEdits(
    db,
    character,
    entries.map(({ id }) => id),
  );
  const fresh = entries.filter(({ id }) => !known.has(id));
  const base = entries.reduce((seq, { id }) => Math.max(seq, known.get(id) ?? 0), sentBase);
  // All known: the answer is where they stand, not the head, so that what others did since is still noticed.
  if (fresh.length === 0) return { head: base, behind: undefined, document: undefined };
  const behind = base !== head.head;
  if (behind && (base > head.head || !fresh.every(canFollowOthers))) throw clash(head);
  const document = cache.take(character, head) ?? (await loadDocument(db, character, head));
  const log = new GrowingLog(db, { account, character }, head, document, blobs);
  for (const entry of fresh)
    await refusedAs(entry, () => log.append(entry)).catch((error: unknown) => {
      if (!behind) throw error;
      // Others changed what it was made on: whoever sent it puts it on top of theirs. An edit that does not fit leaves the
      // document as it was.
      if (log.isEmpty) cache.put(character, document);
      throw clash(head);
    });
  await log.keep();
  return { head: document.head, behind: behind || undefined, document };
}

const clash = ({ head }: Head): RequestError =>
  new RequestError('edit-clash', 'This character was changed elsewhere in the meantime.', { head });

/** Whether an edit means the same after others' edits that touch nothing of what it was made on. */
const canFollowOthers = ({ kind, joints = [] }: LogEntry): boolean => kind === 'edit' && joints.length === 0;

/** Reads the header edit by edit, so that one that is not valid can be named. */
function readHeader(header: unknown): { base: number; entries: LogEntry[] } {
  const loose = asked(
    z.object({ base: z.number(), entries: z.array(z.looseObject({ id: z.uuid(), label: z.string() })) }),
    header,
  );
  for (const entry of loose.entries) {
    const read = logEntry.safeParse(entry);
    if (!read.success) throw refusal(entry, firstIssue(read.error).sentence);
  }
  return asked(editsHeader, header);
}

const refusal = ({ id, label }: Pick<LogEntry, 'id' | 'label'>, why: string): RequestError =>
  new RequestError('edit-refused', `“${label.slice(0, 200)}” could not be taken. ${why}`, { edit: id });

/** What is wrong with an edit, told as its refusal. */
async function refusedAs(entry: LogEntry, work: () => Promise<void>): Promise<void> {
  try {
    await work();
  } catch (error) {
    if (error instanceof CoreError) throw refusal(entry, error.message);
    throw error;
  }
}

/** A log that takes lines, and the document that they lead to. */
class GrowingLog {
  readonly #db: Queryable;
  readonly #account: string;
  readonly #character: string;
  readonly #document: LoadedDocument;
  readonly #blobs: readonly Uint8Array[];
  readonly #lines: StoredEdit[] = [];
  readonly #contents = new Map<string, Edit>();
  readonly #values = new Map<string, Json>();
  readonly #setups: Record<number, JointSetup | null>;
  #undoTop: number | null;
  #redoTop: number | null;
  #weightsChanged = false;
  /** Edits whose weights came in pieces. */
  readonly #inPieces: string[] = [];
  readonly #skinned: readonly boolean[];

  constructor(
    db: Queryable,
    { account, character }: Pick<SentEdits, 'account' | 'character'>,
    head: Head,
    document: LoadedDocument,
    blobs: readonly Uint8Array[],
  ) {
    this.#db = db;
    this.#account = account;
    this.#character = character;
    this.#document = document;
    this.#blobs = blobs;
    this.#undoTop = head.undoTop;
    this.#redoTop = head.redoTop;
    this.#setups = { ...head.setups };
    this.#skinned = head.skinned;
  }

  async append(entry: LogEntry): Promise<void> {
    const seq = this.#document.head + 1;
    const below = await this.#turn(entry, seq);
    const { edit, bytes } = await this.#read(entry);
    const done = entry.kind === 'undo' ? invertEdit(edit) : edit;
    await this.#checkAttachments(done);
    const before = this.#document.state;
    this.#document.state = applyEdit(before, done);
    checkSaved(this.#document.state.values, done);
    this.#document.head = seq;
    this.#document.bytesSince += bytes;
    this.#take(done);
    await this.#checkpoint(seq);
    const isEdit = entry.kind === 'edit';
    this.#lines.push({
      seq,
      id: entry.id,
      kind: entry.kind,
      label: entry.label,
      target: entry.target ?? null,
      delta: isEdit && edit.weights.length > 0 ? storeWeights(edit.weights) : null,
      setups: isEdit && edit.joints.length > 0 ? edit.joints : null,
      values: isEdit && edit.values.length > 0 ? edit.values : null,
      below,
      isLarge: entry.isLarge ?? false,
      ...summarizeEdit(edit),
    });
    if (isEdit) this.#contents.set(entry.id, edit);
  }

  /** In a long batch, so that no line is far from a checkpoint. */
  async #checkpoint(seq: number): Promise<void> {
    if (seq - this.#document.checkpoint < 2 * CHECKPOINT_REACH) return;
    await insertCheckpoint(this.#db, this.#character, seq, this.#document.state.rows);
    this.#document.checkpoint = seq;
    this.#document.bytesSince = 0;
  }

  get isEmpty(): boolean {
    return this.#lines.length === 0;
  }

  async keep(): Promise<void> {
    const { head, state } = this.#document;
    const { skinnedParts, cages } = readSettings(state.values);
    const isSkinned = (part: number): boolean =>
      !cages[part] && ((this.#skinned[part] ?? true) || skinnedParts.has(part));
    const skinned = state.rows.filter((_, part) => isSkinned(part));
    await insertEdits(this.#db, this.#account, this.#character, this.#lines);
    if (this.#inPieces.length > 0) await dropPieces(this.#db, this.#character, this.#inPieces);
    await keepValues(this.#db, this.#character, this.#values);
    await moveHead(this.#db, this.#character, {
      head,
      undoTop: this.#undoTop,
      redoTop: this.#redoTop,
      setups: this.#setups,
      jointCount: liveJoints(state.skeleton).length,
      troubles: this.#weightsChanged ? listWeightTroubles(skinned) : undefined,
    });
    await notifyHead(this.#db, this.#character, head);
  }

  /** Whose turn it is to be undone or redone, and what lies below. */
  async #turn({ kind, label, target }: LogEntry, seq: number): Promise<number | null> {
    if (kind === 'edit') {
      const below = this.#undoTop;
      [this.#undoTop, this.#redoTop] = [seq, null];
      return below;
    }
    const top = kind === 'undo' ? this.#undoTop : this.#redoTop;
    const line = top === null ? undefined : await this.#line(top);
    if (!line || (kind === 'undo' ? line.id : line.target) !== target)
      throw new CoreError(
        'argument-invalid',
        `It is not the turn of “${label}” to be ${kind === 'undo' ? 'undone' : 'redone'}.`,
      );
    if (kind === 'undo') {
      const below = this.#redoTop;
      [this.#undoTop, this.#redoTop] = [line.below, seq];
      return below;
    }
    const edit = await this.#seqOf(target);
    [this.#undoTop, this.#redoTop] = [edit, line.below];
    return null;
  }

  async #line(seq: number): Promise<Pick<StoredEdit, 'id' | 'target' | 'below'> | undefined> {
    return this.#lines.find((line) => line.seq === seq) ?? findLine(this.#db, this.#character, seq);
  }

  async #seqOf(id: string): Promise<number> {
    const own = this.#lines.find((line) => line.id === id)?.seq;
    return own ?? (await findKnownEdits(this.#db, this.#character, [id])).get(id) ?? 0;
  }

  /** What an entry says to do; an undo's and a redo's is its target's. */
  async #read(entry: LogEntry): Promise<{ edit: Edit; bytes: number }> {
    if (entry.kind === 'edit') {
      const delta = await this.#weightsAt(entry.id, entry.weights);
      const weights = delta ? decodeWeights(delta) : [];
      const edit = { weights, joints: entry.joints ?? [], values: entry.values ?? [] };
      return { edit, bytes: delta?.length ?? 0 };
    }
    const target = entry.target as string;
    const sent = this.#contents.get(target);
    if (sent) return { edit: sent, bytes: 0 };
    const stored = await findContent(this.#db, this.#character, target);
    if (!stored) throw new CoreError('argument-invalid', 'It names an edit that is not there.');
    const { delta, joints, values } = stored;
    return {
      edit: { weights: delta ? readStoredWeights(delta) : [], joints, values },
      bytes: delta?.length ?? 0,
    };
  }

  async #weightsAt(id: string, place: WeightsPlace | undefined): Promise<Uint8Array | undefined> {
    if (!place) return undefined;
    if ('blob' in place) {
      const blob = this.#blobs.at(place.blob);
      if (!blob) throw new CoreError('delta-invalid', 'It comes without its weights.');
      return blob;
    }
    const bytes = await findPieces(this.#db, this.#character, id, place.pieces);
    if (!bytes) throw new CoreError('delta-invalid', 'A piece of it is missing. It is sent again.');
    this.#inPieces.push(id);
    return bytes;
  }

  /** What an edit saves under a name must have come before it. */
  async #checkAttachments({ values }: Edit): Promise<void> {
    const ids = values.flatMap(({ after }) => attachmentsOf(after));
    const gone = await missingAttachments(this.#db, this.#character, ids);
    if (gone.length > 0)
      throw new CoreError('argument-invalid', 'What it saves did not come with it. It is sent again.');
  }

  #take({ joints, values, weights }: Edit): void {
    for (const { joint, after } of joints) this.#setups[joint] = after;
    for (const { path, after } of values) this.#values.set(path, after);
    if (weights.length > 0) this.#weightsChanged = true;
  }
}

function attachmentsOf(value: Json): string[] {
  if (value === null || typeof value !== 'object' || Array.isArray(value)) return [];
  const { attachment, picture } = value as Readonly<Record<string, Json>>;
  return [attachment, picture].filter((id) => typeof id === 'string');
}

/** @throws CoreError if there are more things under names than may be */
function checkSaved(values: DocumentValues, { values: lines }: Edit): void {
  const sections = new Set(lines.filter(({ after }) => after !== null).map(({ path }) => path.split('/')[0]));
  for (const section of [...ID_SECTIONS, 'dials', 'pieces']) {
    if (!sections.has(section)) continue;
    const { count, what } = MAX_SAVED[section];
    const held = Object.keys(values).filter((path) => path.startsWith(`${section}/`)).length;
    if (held > count)
      throw new CoreError(
        'argument-invalid',
        `A character keeps at most ${count} ${what}. Remove one that is not needed first.`,
        { count },
      );
  }
}
