import { RequestError } from './requestError.ts';

/** What PostgreSQL's errors mean to a person, by SQLSTATE and, where it matters, by constraint. */
const BY_STATE: Readonly<Record<string, () => RequestError>> = {
  // A text with a NUL, or with half a character: no column holds it.
  '22021': () => new RequestError('request-invalid', 'A text has characters that cannot be stored.'),
  '22P05': () => new RequestError('request-invalid', 'A text has characters that cannot be stored.'),
  // Two requests at once: the other one was first.
  '23505': () => new RequestError('edit-clash', 'This was changed elsewhere in the meantime. Try again.'),
  '40001': () => new RequestError('edit-clash', 'This was changed elsewhere in the meantime. Try again.'),
  '40P01': () => new RequestError('edit-clash', 'This was changed elsewhere in the meantime. Try again.'),
  // The character was deleted while this was under way.
  '23503': () => new RequestError('not-found', 'This character does not exist any more.'),
  '53100': () =>
    new RequestError('storage-full', 'The disk of the server is full. Make room there; nothing was lost.'),
  '25006': () =>
    new RequestError('read-only', 'The database only lets itself be read now. Nothing was changed.'),
  ...Object.fromEntries(
    // Away: going down, starting up, too many connections, or cut off.
    [
      '57P01',
      '57P02',
      '57P03',
      '53300',
      '08000',
      '08003',
      '08006',
      '08001',
      '08004',
      'ECONNREFUSED',
      'ECONNRESET',
    ].map((state) => [
      state,
      () =>
        new RequestError(
          'database-away',
          'The database cannot be reached now. Nothing was changed; try again.',
        ),
    ]),
  ),
};

/** The sentence for an error of the database's; undefined for any other. */
export function databaseError(error: unknown): RequestError | undefined {
  const state = (error as { readonly code?: unknown } | undefined)?.code;
  if (typeof state !== 'string' || !Object.hasOwn(BY_STATE, state)) {
    const isCut =
      error instanceof Error &&
      /Connection terminated|timeout exceeded when trying to connect/.test(error.message);
    return isCut ? BY_STATE['08006']() : undefined;
  }
  return BY_STATE[state]();
}
