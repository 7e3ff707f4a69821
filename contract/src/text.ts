import { z } from 'zod';
import { MAX_LABEL_LENGTH, MAX_NAME_LENGTH } from './limits.ts';

/** Text that the database can hold: no NUL, no half of a character. */
export const storableText = z
  .string()
  .refine((text) => !/[\0\u{D800}-\u{DFFF}]/u.test(text), 'it has characters that cannot be stored');

/** A name that a person gives. */
export const givenName = storableText.trim().min(1).max(MAX_NAME_LENGTH);

/** Cuts a text to a length, with an ellipsis where something is left out; never through a character. */
export function shorten(text: string, length: number): string {
  const letters = Array.from(text);
  return letters.length <= length ? text : `${letters.slice(0, length - 1).join('')}…`;
}

/** What an edit is called: shortened, never refused for its length. */
export const editLabel = storableText.min(1).transform((label) => shorten(label, MAX_LABEL_LENGTH));
