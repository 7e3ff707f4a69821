import type { ErrorCode } from '@judoka/contract';
import type { z } from 'zod';

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

/**
 * What a request says, by its schema. Only this tells a person that something is not valid: a row of our own that cannot
 * be read is a fault of ours.
 * @throws RequestError request-invalid with the field
 */
export function asked<T extends z.ZodType>(schema: T, value: unknown): z.infer<T> {
  const read = schema.safeParse(value);
  if (read.success) return read.data;
  const { field, sentence } = firstIssue(read.error);
  throw new RequestError('request-invalid', sentence, { field });
}

/** The first thing that is wrong, in a sentence with its field. */
export function firstIssue({ issues: [{ path, message }] }: z.ZodError): { field: string; sentence: string } {
  const field = path.map(String).join('.') || 'request';
  if (message.endsWith('received undefined'))
    return {
      field,
      sentence: field === 'request' ? 'The request says nothing that can be read.' : `“${field}” is missing.`,
    };
  return { field, sentence: `“${field}” is not valid: ${message}.` };
}
