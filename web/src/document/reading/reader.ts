import type { ShapeSettings } from '@judoka/core/document';
import * as Comlink from 'comlink';
import type { Reader, ReadFailure, ReadResult } from './reader.worker.ts';
import { HttpError } from '../../api/http.ts';

type Tell = (stage: string, share: number) => void;

async function withReader<T>(
  work: (reader: Comlink.Remote<Reader>) => Promise<T>,
  signal?: AbortSignal,
): Promise<T> {
  const worker = new Worker(new URL('./reader.worker.ts', import.meta.url), { type: 'module' });
  const stop = new Promise<never>((_, reject) => {
    worker.addEventListener('error', (event) =>
      reject(new Error(event.message || 'The reading worker failed.')),
    );
    signal?.addEventListener('abort', () => reject(new DOMException('Stopped.', 'AbortError')), {
      once: true,
    });
  });
  try {
    return await Promise.race([work(Comlink.wrap<Reader>(worker)), stop]);
  } finally {
    // Ending the thread is how reading is stopped; it holds nothing that is needed afterwards.
    worker.terminate();
  }
}

/** Reads a character in a thread of its own, with its parts shaped as the document says. @throws HttpError with the sentence that core gave */
export function readInWorker(
  bytes: Uint8Array,
  shapes: ShapeSettings,
  tell: Tell,
  signal?: AbortSignal,
): Promise<ReadResult> {
  return withReader(async (reader) => {
    const answer = await reader.read(bytes, shapes, Comlink.proxy(tell));
    if (!answer.ok) throw new HttpError('file-invalid', answer.failure.message);
    return answer.result;
  }, signal);
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
