import type { HttpError } from '../../api/http.ts';

/** Why the last sending did not go through. */
export interface Failure {
  readonly code: HttpError['code'];
  readonly message: string;
}

/** What the line at the top says of the queue. */
export type SaveState =
  | { readonly kind: 'saved' }
  | { readonly kind: 'saving'; readonly count: number }
  | { readonly kind: 'offline'; readonly count: number }
  | { readonly kind: 'failed'; readonly count: number; readonly message: string };

/** Failures that pass by themselves: the queue tries again, and nobody has to do anything. */
const PASSING: readonly Failure['code'][] = ['offline', 'server-failed'];

export function saveStateOf(count: number, failure: Failure | undefined): SaveState {
  if (count === 0) return { kind: 'saved' };
  if (!failure) return { kind: 'saving', count };
  if (PASSING.includes(failure.code)) return { kind: 'offline', count };
  return { kind: 'failed', count, message: failure.message };
}
