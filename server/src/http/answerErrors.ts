import { CoreError } from '@judoka/core/errors';
import { MAX_UPLOAD_BYTES, type ErrorAnswer, type ErrorCode } from '@judoka/contract';
import type { ErrorRequestHandler } from 'express';
import { databaseError } from './databaseErrors.ts';
import { RequestError } from './requestError.ts';

const STATUS: Readonly<Record<ErrorCode, number>> = {
  'file-empty': 422,
  'file-not-gltf': 422,
  'file-truncated': 422,
  'file-version': 422,
  'file-too-large': 413,
  'file-invalid': 422,
  'file-unsupported': 422,
  'file-no-mesh': 422,
  'delta-mismatch': 409,
  'delta-invalid': 400,
  'argument-invalid': 400,
  'joint-locked': 409,
  'no-solution': 422,
  'bind-impossible': 422,
  stopped: 409,
  'request-invalid': 400,
  'edit-refused': 422,
  'storage-full': 507,
  'read-only': 503,
  'database-away': 503,
  'not-signed-in': 401,
  'not-allowed': 403,
  'not-found': 404,
  'edit-clash': 409,
  'too-many-requests': 429,
  'server-failed': 500,
};

/** Every error as the contract's one shape; what is not expected is logged and told without its inside. */
export const answerErrors: ErrorRequestHandler = (error: unknown, request, response, next) => {
  if (response.headersSent) {
    next(error);
    return;
  }
  const answer = describeError(error);
  if (answer.error.code === 'server-failed') console.error(`${request.method} ${request.path}:`, error);
  response.status(STATUS[answer.error.code]).json(answer);
};

/** An error as it is told. */
export function describeError(error: unknown): ErrorAnswer {
  const known = error instanceof CoreError || error instanceof RequestError ? error : databaseError(error);
  if (known) return { error: { code: known.code, message: known.message, detail: { ...known.detail } } };
  const { type, status, limit } = (error ?? {}) as { type?: string; status?: number; limit?: number };
  if (type === 'entity.too.large') {
    const most = Math.round((limit ?? MAX_UPLOAD_BYTES) / 2 ** 20);
    return {
      error: {
        code: 'file-too-large',
        message: `More than ${most} MB came; that cannot be taken.`,
        detail: {},
      },
    };
  }
  if (status !== undefined && status >= 400 && status < 500) {
    const code = status === 404 ? 'not-found' : 'request-invalid';
    return { error: { code, message: 'The request could not be read.', detail: {} } };
  }
  return {
    error: {
      code: 'server-failed',
      message: 'The server could not do this. Nothing was changed; try it once more.',
      detail: {},
    },
  };
}
