import { CoreError, type ErrorDetail } from '@judoka/core/errors';
import type { ErrorCode } from '@judoka/contract';
import { databaseError } from './databaseErrors.ts';
import { RequestError } from './requestError.ts';

/** How work in another thread ended, as data: an error would lose its code on the way. */
export type Outcome<T> =
  | { readonly ok: true; readonly value: T }
  | { readonly ok: false; readonly code: ErrorCode; readonly message: string; readonly detail: ErrorDetail };

/** A refusal as data. @throws what is no refusal but a fault of ours */
export function asFailure(error: unknown): Outcome<never> {
  const known = error instanceof CoreError || error instanceof RequestError ? error : databaseError(error);
  if (known) return { ok: false, code: known.code, message: known.message, detail: { ...known.detail } };
  throw error;
}

/** @throws RequestError what the other thread refused with */
export function valueOf<T>(outcome: Outcome<T>): T {
  if (outcome.ok) return outcome.value;
  throw new RequestError(outcome.code, outcome.message, outcome.detail);
}
