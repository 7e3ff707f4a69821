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
  | { readonly kind: Trouble; readonly count: number; readonly message: string };

/** What stands in the way of saving. The queue goes on trying in each of them. */
export type Trouble =
  | 'offline'
  | 'databaseAway'
  | 'diskFull'
  | 'readOnly'
  | 'signedOut'
  | 'notAllowed'
  | 'serverFailed'
  | 'failed';

const TROUBLES: Readonly<Partial<Record<Failure['code'], Trouble>>> = {
  offline: 'offline',
  'database-away': 'databaseAway',
  'storage-full': 'diskFull',
  'read-only': 'readOnly',
  'not-signed-in': 'signedOut',
  'not-allowed': 'notAllowed',
  'not-found': 'notAllowed',
  'server-failed': 'serverFailed',
};

export function saveStateOf(count: number, failure: Failure | undefined): SaveState {
  if (count === 0) return { kind: 'saved' };
  if (!failure) return { kind: 'saving', count };
  return { kind: TROUBLES[failure.code] ?? 'failed', count, message: failure.message };
}
