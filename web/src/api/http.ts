import { errorAnswer, type ErrorCode } from '@judoka/contract';

/** A request that was refused, or that never arrived (`offline`). The message is a sentence for the person. */
export class HttpError extends Error {
  readonly code: ErrorCode | 'offline';
  readonly detail: Readonly<Record<string, string | number>>;

  constructor(code: HttpError['code'], message: string, detail: HttpError['detail'] = {}) {
    super(message);
    this.code = code;
    this.detail = detail;
  }
}

const OFFLINE = 'The server cannot be reached. What you do is kept here and sent when it is back.';

/** The error that an answer carries, in our one shape. */
export function asHttpError(status: number, body: unknown): HttpError {
  const parsed = errorAnswer.safeParse(body);
  if (parsed.success)
    return new HttpError(parsed.data.error.code, parsed.data.error.message, parsed.data.error.detail);
  if (status === 0 || status >= 502) return new HttpError('offline', OFFLINE);
  return new HttpError('server-failed', `The server answered with an error (${status}).`);
}

/** A request to the server. @throws HttpError with the server's sentence, or `offline` */
export async function request(path: string, init: RequestInit = {}): Promise<Response> {
  let response: Response;
  try {
    response = await fetch(path, { credentials: 'same-origin', ...init });
  } catch {
    throw new HttpError('offline', OFFLINE);
  }
  if (response.ok) return response;
  throw asHttpError(response.status, await response.json().catch(() => undefined));
}

/** The bytes of an answer, with their share so far told as they come. */
export async function requestBytes(
  path: string,
  tell: (share: number) => void = () => undefined,
): Promise<Uint8Array<ArrayBuffer>> {
  const response = await request(path);
  const total = Number(response.headers.get('Content-Length') ?? 0);
  if (!response.body || total === 0) return new Uint8Array(await response.arrayBuffer());
  const bytes = new Uint8Array(total);
  const reader = response.body.getReader();
  let at = 0;
  for (;;) {
    const { done, value } = await reader.read();
    if (done) return bytes.subarray(0, at);
    if (at + value.length > total)
      throw new HttpError('server-failed', 'More bytes came than were announced.');
    bytes.set(value, at);
    at += value.length;
    tell(at / total);
  }
}

/** Sends bytes with progress (only XMLHttpRequest tells it for what goes out); `signal` stops it. */
export function sendBytes(
  path: string,
  body: Uint8Array<ArrayBuffer> | Blob,
  tell: (share: number) => void,
  signal: AbortSignal,
): Promise<unknown> {
  return new Promise((resolve, reject) => {
    const call = new XMLHttpRequest();
    call.open('POST', path);
    call.setRequestHeader('Content-Type', 'application/octet-stream');
    call.upload.onprogress = (event) => tell(event.loaded / Math.max(1, event.total));
    call.onerror = () =>
      reject(new HttpError('offline', 'The server cannot be reached; the file was not sent. Try again.'));
    call.onabort = () => reject(new DOMException('Stopped.', 'AbortError'));
    call.onload = () => {
      const answer = parseJson(call.responseText);
      if (call.status >= 200 && call.status < 300) resolve(answer);
      else reject(asHttpError(call.status, answer));
    };
    signal.addEventListener('abort', () => call.abort(), { once: true });
    call.send(new Blob([body]));
  });
}

function parseJson(text: string): unknown {
  try {
    return JSON.parse(text);
  } catch {
    return undefined;
  }
}
