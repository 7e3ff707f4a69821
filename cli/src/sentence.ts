import { CoreError } from '@judoka/core/errors';
import { CommanderError } from 'commander';

/** What went wrong, in one sentence that says what to do. */
export function sentence(error: unknown): string {
  if (error instanceof CoreError) return error.message;
  if (error instanceof CommanderError)
    return error.message.replace(/^error: /, '').replace(/\s+/g, ' ') + '. Try: judoka --help';
  const { code, path, message } = error as NodeJS.ErrnoException;
  if (code === 'ENOENT') return `There is no file “${path ?? ''}”.`;
  if (code === 'EACCES' || code === 'EISDIR') return `The file “${path ?? ''}” cannot be opened (${code}).`;
  if (code === 'ENOSPC') return 'There is no room left to write to.';
  return message.split('\n')[0];
}
