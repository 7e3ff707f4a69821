import type { ShapeSettings } from '@judoka/core/document';
import * as Comlink from 'comlink';
import type { ReadAnswer, Reader, ReadFailure, ReadResult } from './reader.worker.ts';
import { HttpError } from '../../api/http.ts';

type Tell = (stage: string, share: number) => void;

async function withReader<T>(
  work: (reader: Comlink.Remote<Reader>) => Promise<T>,
  signal?: AbortSignal,
): Promise<T> {
  const thread = readingThread();
  try {
    return await race(thread, signal, work);
  } finally {
    // Ending the thread is how reading is stopped; it holds nothing that is needed afterwards.
    thread.worker.terminate();
  }
}

/** A thread that reads. Once nobody holds its proxy the thread would answer no more. */
interface ReadingThread {
  readonly worker: Worker;
  readonly reader: Comlink.Remote<Reader>;
}

function readingThread(): ReadingThread {
  const worker = new Worker(new URL('./reader.worker.ts', import.meta.url), { type: 'module' });
  return { worker, reader: Comlink.wrap<Reader>(worker) };
}

function race<T>(
  { worker, reader }: ReadingThread,
  signal: AbortSignal | undefined,
  work: (reader: Comlink.Remote<Reader>) => Promise<T>,
): Promise<T> {
  const stop = new Promise<never>((_, reject) => {
    worker.addEventListener('error', (event) =>
      reject(new Error(event.message || 'The reading worker failed.')),
    );
    signal?.addEventListener('abort', () => reject(new DOMException('Stopped.', 'AbortError')), {
      once: true,
    });
  });
  return Promise.race([work(reader), stop]);
}

/** The thread that has read the character that is open: it reads it again when its parts are shaped otherwise. */
let open: (ReadingThread & { readonly id: string }) | undefined;

/** Reads the character that is open, as {@link readInWorker} does; a second time it is not read from its bytes. */
export async function readOpen(
  id: string,
  bytes: Uint8Array,
  shapes: ShapeSettings,
  tell: Tell,
  signal: AbortSignal,
): Promise<ReadResult> {
  if (open?.id !== id) forgetOpen();
  const thread = (open ??= { id, ...readingThread() });
  try {
    return await race(thread, signal, async (reader) => {
      const held = (await reader.hasRead()) ? undefined : bytes;
      return resultOf(await reader.read(held, shapes, Comlink.proxy(tell), true));
    });
  } catch (error) {
    forgetOpen();
    throw error;
  }
}

/** Lets go of what was read: its character is left. */
export function forgetOpen(): void {
  open?.worker.terminate();
  open = undefined;
}

/** Reads a character in a thread of its own, with its parts shaped as the document says. @throws HttpError with the sentence that core gave */
export function readInWorker(
  bytes: Uint8Array,
  shapes: ShapeSettings,
  tell: Tell,
  signal?: AbortSignal,
): Promise<ReadResult> {
  return withReader(async (reader) => {
    return resultOf(await reader.read(bytes, shapes, Comlink.proxy(tell)));
  }, signal);
}

function resultOf(answer: ReadAnswer): ReadResult {
  if (!answer.ok) throw new HttpError('file-invalid', answer.failure.message);
  return answer.result;
}

/** Whether a file can be used, found out before it is sent. */
export function checkInWorker(
  bytes: Uint8Array,
  tell: Tell,
  signal: AbortSignal,
): Promise<ReadFailure | undefined> {
  return withReader((reader) => reader.check(bytes, Comlink.proxy(tell)), signal);
}

/** Several files as one, to be checked and sent like any other. @throws HttpError with the sentence that core gave */
export async function packInWorker(
  files: ReadonlyMap<string, Uint8Array>,
  signal: AbortSignal,
): Promise<{ readonly name: string; readonly bytes: Uint8Array<ArrayBuffer> }> {
  return withReader(async (reader) => {
    const answer = await reader.pack(files);
    if (!answer.ok) throw new HttpError('file-unsupported', answer.failure.message);
    return answer;
  }, signal);
}
