import { CoreError } from '@judoka/core/errors';
import type { ErrorAnswer, ErrorCode } from '@judoka/contract';
import type { ErrorRequestHandler } from 'express';
import { ZodError } from 'zod';

/** A refusal of the server's own, with a sentence for the person. */
export class RequestError extends Error {
  readonly code: ErrorCode;
  readonly detail: Readonly<Record<string, string | number>>;

  constructor(code: ErrorCode, message: string, detail: Readonly<Record<string, string | number>> = {}) {
    super(message);
    this.code = code;
    this.detail = detail;
  }
}

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
  'not-signed-in': 401,
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

function describeError(error: unknown): ErrorAnswer {
  if (error instanceof CoreError || error instanceof RequestError) {
    return { error: { code: error.code, message: error.message, detail: { ...error.detail } } };
  }
  if (error instanceof ZodError) {
    const issue = error.issues[0];
    const field = issue.path.map(String).join('.') || 'request';
    return {
      error: {
        code: 'request-invalid',
        message: `“${field}” is not valid: ${issue.message}.`,
        detail: { field },
      },
    };
  }
  const { type, status } = (error ?? {}) as { type?: string; status?: number };
  if (type === 'entity.too.large') {
    return {
      error: {
        code: 'file-too-large',
        message: 'The file is larger than 256 MB and cannot be taken.',
        detail: {},
      },
    };
  }
  if (status !== undefined && status >= 400 && status < 500) {
    return { error: { code: 'request-invalid', message: 'The request could not be read.', detail: {} } };
  }
  return {
    error: {
      code: 'server-failed',
      message: 'The server could not do this. Nothing was changed; try it once more.',
      detail: {},
    },
  };
}
