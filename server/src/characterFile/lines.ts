import { pipeline, Readable } from 'node:stream';
import { createGunzip } from 'node:zlib';
import { editLabel, givenName, skeletonChange, valueChange, documentValues } from '@judoka/contract';
import { z } from 'zod';
import { RequestError } from '../http/requestError.ts';

/**
 * A character with all its history as one file: gzip over lines of JSON. The first line says what it is; bytes follow the
 * line that announces them, in lines of base64; the last line says how many there were.
 * The format is described in docs/CHARACTER_FILE.md.
 */
export const VERSION = 1;

/** Bytes in one line: so many that base64 has no padding but in the last one. */
const LINE_BYTES = 3 * 2 ** 20;
const MAX_LINE_LENGTH = 64 * 2 ** 20;

const size = (most: number) => z.number().int().min(0).max(most);
const MB = 2 ** 20;

const line = z.discriminatedUnion('what', [
  z.object({
    what: z.literal('character'),
    version: z.number().int(),
    name: givenName,
    edits: z.number().int().min(0),
    values: documentValues,
  }),
  z.object({ what: z.literal('source'), bytes: size(256 * MB) }),
  /** The weights that the first edit was made on. */
  z.object({ what: z.literal('weights'), bytes: size(512 * MB) }),
  z.object({ what: z.literal('attachment'), id: z.uuid(), bytes: size(64 * MB) }),
  z.object({
    what: z.literal('edit'),
    id: z.uuid(),
    kind: z.enum(['edit', 'undo', 'redo']),
    label: editLabel,
    target: z.uuid().optional(),
    joints: skeletonChange.optional(),
    values: valueChange.optional(),
    madeAt: z.iso.datetime({ offset: true }),
    isLarge: z.boolean().optional(),
    bytes: size(512 * MB),
  }),
  z.object({ what: z.literal('end'), edits: z.number().int().min(0) }),
]);
export type FileLine = z.infer<typeof line>;
export type EditLine = Extract<FileLine, { what: 'edit' }>;

export const writeLine = (value: FileLine): string => `${JSON.stringify(value)}\n`;

export function* writeBytes(bytes: Uint8Array): Generator<string> {
  for (let from = 0; from < bytes.length; from += LINE_BYTES)
    yield `"${Buffer.from(bytes.subarray(from, from + LINE_BYTES)).toString('base64')}"\n`;
}

const damaged = (why: string): RequestError =>
  new RequestError('file-invalid', `This is not a whole character file: ${why}.`);

/**
 * The lines of a character file as it comes in, each with the bytes that it announces.
 * @param mostBytes unpacked, more than that is refused
 * @throws RequestError `file-invalid` with the line's number
 */
export async function* readLines(
  packed: AsyncIterable<Uint8Array>,
  mostBytes: number,
): AsyncGenerator<{ line: FileLine; bytes: Uint8Array }> {
  let number = 0;
  let announced: { line: FileLine; pieces: Buffer[]; missing: number } | undefined;
  for await (const text of textLines(packed, mostBytes)) {
    number++;
    if (announced && announced.missing > 0) {
      const piece = readPiece(text, number, announced.missing);
      announced.pieces.push(piece);
      announced.missing -= piece.length;
    } else {
      const read = readLine(text, number);
      announced = { line: read, pieces: [], missing: 'bytes' in read ? read.bytes : 0 };
    }
    if (announced.missing === 0) yield { line: announced.line, bytes: Buffer.concat(announced.pieces) };
  }
  if (announced?.line.what !== 'end') throw damaged(`it breaks off after line ${number}`);
}

function readLine(text: string, number: number): FileLine {
  let value: unknown;
  try {
    value = JSON.parse(text);
  } catch {
    throw damaged(`line ${number} cannot be read`);
  }
  const read = line.safeParse(value);
  if (read.success) return read.data;
  const [{ path, message }] = read.error.issues;
  throw damaged(`in line ${number}, ${path.map(String).join('.') || 'what it is'}: ${message}`);
}

function readPiece(text: string, number: number, missing: number): Buffer {
  if (!/^"[A-Za-z0-9+/]+=*"$/.test(text)) throw damaged(`line ${number} should have bytes`);
  const piece = Buffer.from(text.slice(1, -1), 'base64');
  if (piece.length > missing) throw damaged(`line ${number} has more bytes than were announced`);
  return piece;
}

/** Unpacks and cuts into lines, no more held at once than one of them. */
async function* textLines(packed: AsyncIterable<Uint8Array>, mostBytes: number): AsyncGenerator<string> {
  const gunzip = createGunzip();
  pipeline(Readable.from(packed), gunzip, () => undefined);
  let total = 0;
  let held: Buffer[] = [];
  let heldBytes = 0;
  try {
    for await (const chunk of gunzip as AsyncIterable<Buffer>) {
      total += chunk.length;
      if (total > mostBytes) throw damaged(`it has more than ${Math.round(mostBytes / MB)} MB in it`);
      let from = 0;
      for (let end = chunk.indexOf(10); end >= 0; end = chunk.indexOf(10, from)) {
        held.push(chunk.subarray(from, end));
        yield Buffer.concat(held).toString('utf8');
        [held, heldBytes, from] = [[], 0, end + 1];
      }
      held.push(chunk.subarray(from));
      heldBytes += chunk.length - from;
      if (heldBytes > MAX_LINE_LENGTH) throw damaged('one of its lines is too long');
    }
  } catch (error) {
    throw isPacking(error) ? damaged('it is not packed as one, or cut off') : error;
  }
  if (heldBytes > 0) throw damaged('its last line is cut off');
}

const isPacking = (error: unknown): boolean =>
  String((error as { code?: unknown } | undefined)?.code).startsWith('Z_') ||
  (error as { code?: unknown } | undefined)?.code === 'ERR_STREAM_PREMATURE_CLOSE';
