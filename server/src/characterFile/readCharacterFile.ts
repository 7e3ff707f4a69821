import {
  decodeRows,
  MAX_EDITS_A_REQUEST,
  MAX_PIECE_BYTES,
  MAX_REQUEST_BYTES,
  packFrame,
  schemaOfPath,
  type CharacterCard,
  type LogEntry,
} from '@judoka/contract';
import type { DocumentValues, Json } from '@judoka/core/document';
import { findCard } from '../characters/characters.queries.ts';
import { createCharacter } from '../characters/createCharacter.ts';
import type { Database, Queryable } from '../database.ts';
import { keepAttachment } from '../documents/attachments.queries.ts';
import { insertCheckpoint } from '../documents/checkpoints.queries.ts';
import type { DocumentThreads } from '../documents/DocumentThreads.ts';
import { keepPiece } from '../documents/edits.queries.ts';
import { keepValues } from '../documents/heads.queries.ts';
import { found } from '../http/bodies.ts';
import { RequestError } from '../http/requestError.ts';
import type { FileThreads } from '../files/FileThreads.ts';
import { readLines, VERSION, type EditLine, type FileLine } from './lines.ts';
import { dropArriving, finishArriving } from './arriving.queries.ts';

/** What a whole file may be, unpacked. */
const MAX_BYTES = 4 * 2 ** 30;

interface Means {
  readonly database: Database;
  readonly threads: DocumentThreads;
  readonly jobs: FileThreads;
}

/**
 * Takes a character file in: its source comes in like any, and its edits go through the same door as those of a page, one
 * after the other, so that what is taken can be replayed. On the shelf only when it is whole.
 * @throws RequestError what does not fit, and where; nothing of the file is kept then
 */
export async function readCharacterFile(
  means: Means,
  to: { readonly account: string; readonly shelf: string },
  packed: AsyncIterable<Uint8Array>,
): Promise<CharacterCard> {
  const arrival = new Arrival(means, to);
  try {
    for await (const { line, bytes } of readLines(packed, MAX_BYTES)) await arrival.take(line, bytes);
    return await arrival.finish();
  } catch (error) {
    await arrival.drop();
    throw error;
  }
}

const wrong = (why: string): RequestError =>
  new RequestError('file-invalid', `This character file cannot be taken: ${why}.`);

class Arrival {
  readonly #means: Means;
  readonly #account: string;
  readonly #shelf: string;
  #first: Extract<FileLine, { what: 'character' }> | undefined;
  #source: Uint8Array | undefined;
  #character: string | undefined;
  #head = 0;
  #waiting: { readonly line: EditLine; readonly bytes: Uint8Array }[] = [];
  #waitingBytes = 0;
  readonly #madeAt: string[] = [];

  constructor(means: Means, { account, shelf }: { readonly account: string; readonly shelf: string }) {
    this.#means = means;
    this.#account = account;
    this.#shelf = shelf;
  }

  async take(line: FileLine, bytes: Uint8Array): Promise<void> {
    if (line.what === 'character') {
      if (this.#first) throw wrong('it has two characters');
      if (line.version > VERSION) throw wrong('a newer version of Judoka made it; take it in there');
      checkValues(line.values);
      this.#first = line;
    } else if (!this.#first) throw wrong('it does not begin with its character');
    else if (line.what === 'source') this.#source = bytes;
    else if (line.what === 'weights') await this.#create(bytes);
    else if (line.what === 'attachment') await this.#attach(line.id, bytes);
    else if (line.what === 'edit') await this.#append(line, bytes);
    else await this.#end(line.edits);
  }

  /** Puts it on the shelf. */
  async finish(): Promise<CharacterCard> {
    const [{ database }, character] = [this.#means, this.#created()];
    await finishArriving(database, character, this.#madeAt);
    return found(await findCard(database, this.#account, character));
  }

  async drop(): Promise<void> {
    if (this.#character) await dropArriving(this.#means.database, this.#character).catch(() => undefined);
  }

  async #create(weights: Uint8Array): Promise<void> {
    if (!this.#source || !this.#first || this.#character) throw wrong('its parts are not in order');
    const { database, jobs } = this.#means;
    const values = new Map<string, Json>(Object.entries(this.#first.values));
    this.#character = await createCharacter(database, jobs, this.#shelf, this.#first.name, this.#source, {
      isArriving: true,
      add: (db, character, imported) =>
        putBase(db, character, { weights, values, imported: imported.weights }),
    });
    this.#source = undefined;
  }

  async #attach(id: string, bytes: Uint8Array): Promise<void> {
    await keepAttachment(this.#means.database, this.#account, this.#created(), id, bytes);
  }

  async #append(line: EditLine, bytes: Uint8Array): Promise<void> {
    const isLarge = bytes.length > MAX_PIECE_BYTES;
    if (
      this.#waiting.length >= MAX_EDITS_A_REQUEST ||
      this.#waitingBytes + bytes.length > MAX_REQUEST_BYTES / 2
    )
      await this.#send();
    if (isLarge) await this.#keepPieces(line.id, bytes);
    this.#waiting.push({ line, bytes: isLarge ? bytes : bytes.slice() });
    if (!isLarge) this.#waitingBytes += bytes.length;
    this.#madeAt.push(line.madeAt);
    if (isLarge) await this.#send();
  }

  async #keepPieces(edit: string, bytes: Uint8Array): Promise<void> {
    for (let piece = 0; piece * MAX_PIECE_BYTES < bytes.length; piece++)
      await keepPiece(
        this.#means.database,
        this.#created(),
        edit,
        piece,
        bytes.subarray(piece * MAX_PIECE_BYTES, (piece + 1) * MAX_PIECE_BYTES),
      );
  }

  async #send(): Promise<void> {
    if (this.#waiting.length === 0) return;
    const blobs: Uint8Array[] = [];
    const entries = this.#waiting.map(({ line, bytes }): LogEntry => {
      const { id, kind, label, target, joints, values, isLarge } = line;
      const weights =
        bytes.length > MAX_PIECE_BYTES
          ? { pieces: Math.ceil(bytes.length / MAX_PIECE_BYTES) }
          : bytes.length > 0
            ? { blob: blobs.push(bytes) - 1 }
            : undefined;
      return { id, kind, label, target, joints, values, isLarge, weights };
    });
    const question = { account: this.#account, character: this.#created() };
    const { head } = await this.#means.threads.append({
      ...question,
      bytes: packFrame({ base: this.#head, entries }, blobs),
    });
    this.#head = head;
    [this.#waiting, this.#waitingBytes] = [[], 0];
  }

  async #end(edits: number): Promise<void> {
    await this.#send();
    if (this.#head !== edits || edits !== this.#first?.edits)
      throw wrong(`it says ${edits} edits and has ${this.#head}`);
  }

  #created(): string {
    if (!this.#character) throw wrong('its source or its weights are missing');
    return this.#character;
  }
}

function checkValues(values: DocumentValues): void {
  for (const [path, value] of Object.entries(values)) {
    const schema = schemaOfPath(path);
    if (!schema?.safeParse(value).success) throw wrong(`what stands at “${path.slice(0, 120)}” is not known`);
  }
}

interface Base {
  readonly weights: Uint8Array;
  readonly values: ReadonlyMap<string, Json>;
  /** The weights as the source has them, read now. */
  readonly imported: Uint8Array;
}

/** What the first edit was made on: the file's weights may have been read by an earlier version. */
async function putBase(db: Queryable, character: string, { weights, values, imported }: Base): Promise<void> {
  const [asKept, asRead] = [decodeRows(weights), decodeRows(imported)];
  const isSameShape =
    asKept.length === asRead.length &&
    asKept.every(({ pointCount }, part) => pointCount === asRead[part].pointCount);
  if (!isSameShape) throw wrong('its weights do not belong to its source');
  await db.query('delete from checkpoints where character_id = $1', [character]);
  await insertCheckpoint(db, character, 0, asKept);
  await db.query('delete from document_values where character_id = $1', [character]);
  await keepValues(db, character, values);
}
