import express, { type Request, type Response } from 'express';
import { RequestError } from '../http/requestError.ts';

const BINARY = 'application/octet-stream';

export const missing = (): RequestError =>
  new RequestError('not-found', 'This character does not exist, or is not yours.');

export function found<T>(value: T | undefined): T {
  if (value === undefined) throw missing();
  return value;
}

export function rawBody(limit: number | string) {
  // Nothing is inflated: what comes is as large as it says.
  return express.raw({ type: BINARY, limit, inflate: false });
}

export function bodyOf(request: Request): Uint8Array {
  const body: unknown = request.body;
  if (body instanceof Buffer)
    return new Uint8Array(body.buffer as ArrayBuffer, body.byteOffset, body.byteLength);
  if (request.headers['content-type'] === BINARY) return new Uint8Array(0);
  throw new RequestError('request-invalid', `The body must be of type ${BINARY}.`);
}

export function sendBytes(response: Response, bytes: Uint8Array): void {
  response.type(BINARY).send(Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength));
}
