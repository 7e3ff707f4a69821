import { CoreError } from '../errors.ts';
import { decodeText, encodeText } from './text.ts';

/** Powers of ten that doubles hold exactly. */
const TENS = Float64Array.from({ length: 23 }, (_, n) => 10 ** n);
/** So many digits fit into a small whole number. */
const MAX_DIGITS = 9;
/** Whole numbers up to here are exact. */
const MAX_EXACT = 2 ** 53;

/**
 * The numbers of a text, with white space between them, each the double that is nearest to what is written: a whole
 * number of at most 53 bits by an exact power of ten is rounded once (Clinger 1990, “How to read floating point numbers
 * accurately”); what does not fit that goes the language's own way.
 *
 * @param into filled from its start; where it is too short, the rest is only counted
 * @param where of the file, for the message
 * @returns how many there are
 * @throws CoreError file-invalid for a word that is no finite number
 */
export function parseNumbers(text: string, into: Float64Array, where: string): number {
  const bytes = asBytes(text);
  const end = bytes.length - 1;
  const least = into.length;
  let count = 0;
  for (let at = 0; at < end;) {
    let code = bytes[at];
    if (code <= SPACE) {
      at++;
      continue;
    }
    const from = at;
    if (code === MINUS) code = bytes[++at];
    // Both halves stay small whole numbers, which is twice as fast.
    let [whole, part, behind] = [0, 0, 0];
    const first = at;
    while (code >= ZERO && code <= NINE) {
      whole = (whole * 10 + code - ZERO) | 0;
      code = bytes[++at];
    }
    const digits = at - first;
    if (code === POINT) {
      code = bytes[++at];
      const point = at;
      while (code === ZERO) code = bytes[++at];
      const significant = at;
      while (code >= ZERO && code <= NINE) {
        part = (part * 10 + code - ZERO) | 0;
        code = bytes[++at];
      }
      behind = at - point;
      // More than fit are read slowly.
      if (at - significant > MAX_DIGITS) behind = TENS.length;
    }
    let value = 0;
    let isRead = code <= SPACE && digits > 0 && digits <= MAX_DIGITS && behind < TENS.length;
    if (isRead) {
      const mantissa = whole * TENS[behind] + part;
      isRead = mantissa < MAX_EXACT;
      value = behind === 0 ? whole : mantissa / TENS[behind];
      if (from !== first) value = -value;
    }
    if (!isRead) {
      while (bytes[at] > SPACE) at++;
      value = slowly(decodeText(bytes.subarray(from, at)), where);
    }
    if (count < least) into[count] = value;
    count++;
  }
  return count;
}

const [SPACE, MINUS, PLUS, POINT, ZERO, NINE] = [32, 45, 43, 46, 48, 57];

/** A text's bytes, with a space behind: letters are read twice as fast so. */
const asBytes = (text: string): Uint8Array => encodeText(`${text} `);

function slowly(word: string, where: string): number {
  // Some programs write the decimal sign of the country that they run in.
  const value = /^[-+]?(?:\d+[.,]?\d*|[.,]\d+)(?:e[-+]?\d+)?$/i.test(word)
    ? Number(word.replace(',', '.'))
    : NaN;
  if (Number.isFinite(value)) return value;
  throw new CoreError('file-invalid', `“${word.slice(0, 30)}” is no number (${where}).`, { where });
}

/** So many numbers as a text has room for, at most. */
export const maxNumbers = (text: string): number => (text.length + 1) >> 1;

/** All numbers of a text. */
export function numbersOf(text: string, where: string): Float64Array {
  const all = new Float64Array(maxNumbers(text));
  return all.subarray(0, parseNumbers(text, all, where));
}

/** All whole numbers of a text; what is none is refused. */
export function wholeNumbersOf(text: string, where: string): Int32Array {
  const all = new Int32Array(maxNumbers(text));
  const bytes = asBytes(text);
  const end = bytes.length - 1;
  let count = 0;
  for (let at = 0; at < end;) {
    let code = bytes[at];
    if (code <= SPACE) {
      at++;
      continue;
    }
    const from = at;
    if (code === MINUS || code === PLUS) code = bytes[++at];
    let value = 0;
    const first = at;
    while (code >= ZERO && code <= NINE) {
      value = (value * 10 + code - ZERO) | 0;
      code = bytes[++at];
    }
    if (at === first || at - first > MAX_DIGITS || code > SPACE) {
      const word = /^\S*/.exec(decodeText(bytes.subarray(from, from + 30)))?.[0] ?? '';
      throw new CoreError('file-invalid', `“${word}” is no whole number (${where}).`, { where });
    }
    all[count++] = bytes[from] === MINUS ? -value : value;
  }
  return all.subarray(0, count);
}
