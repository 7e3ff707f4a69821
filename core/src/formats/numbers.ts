import { CoreError } from '../errors.ts';

/** Powers of ten up to the number of digits that fit into a small whole number. */
const TENS = Array.from({ length: 10 }, (_, n) => 10 ** n);
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
export function parseNumbers(text: string, into: Float32Array | Float64Array, where: string): number {
  const end = text.length;
  let count = 0;
  for (let at = 0; at < end;) {
    let code = text.charCodeAt(at);
    if (code <= 32) {
      at++;
      continue;
    }
    const from = at;
    if (code === 45) code = text.charCodeAt(++at);
    // Both halves stay small whole numbers, which is twice as fast.
    let [whole, part] = [0, 0];
    const first = at;
    for (; code >= 48 && code <= 57; code = text.charCodeAt(++at)) whole = (whole * 10 + code - 48) | 0;
    const digits = at - first;
    let behind = 0;
    if (code === 46) {
      code = text.charCodeAt(++at);
      const point = at;
      for (; code >= 48 && code <= 57; code = text.charCodeAt(++at)) part = (part * 10 + code - 48) | 0;
      behind = at - point;
    }
    let value = NaN;
    if (!(code > 32) && digits > 0 && digits <= MAX_DIGITS && behind <= MAX_DIGITS) {
      const mantissa = whole * TENS[behind] + part;
      if (mantissa < MAX_EXACT) value = behind === 0 ? whole : mantissa / TENS[behind];
      if (from !== first) value = -value;
    }
    if (value !== value) {
      while (at < end && text.charCodeAt(at) > 32) at++;
      value = slowly(text.slice(from, at), where);
    }
    if (count < into.length) into[count] = value;
    count++;
  }
  return count;
}

function slowly(word: string, where: string): number {
  // Some programs write the decimal sign of the country that they run in.
  const value = /^[-+]?[\d.]/.test(word) ? Number(word.replace(',', '.')) : NaN;
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
  const end = text.length;
  let count = 0;
  for (let at = 0; at < end;) {
    let code = text.charCodeAt(at);
    if (code <= 32) {
      at++;
      continue;
    }
    const from = at;
    const isNegative = code === 45;
    if (isNegative || code === 43) code = text.charCodeAt(++at);
    let value = 0;
    const first = at;
    for (; code >= 48 && code <= 57; code = text.charCodeAt(++at)) value = (value * 10 + code - 48) | 0;
    // Behind the end there is no letter at all.
    if (at === first || at - first > MAX_DIGITS || code > 32) {
      const word = /^\S*/.exec(text.slice(from, from + 30))?.[0] ?? '';
      throw new CoreError('file-invalid', `“${word}” is no whole number (${where}).`, { where });
    }
    all[count++] = isNegative ? -value : value;
  }
  return all.subarray(0, count);
}
