import { CoreError } from '../errors.ts';
import { decodeText, encodeText } from './text.ts';

/** A text, or its bytes in UTF-8. */
type Letters = string | Uint8Array;
type Where = () => string;

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
 * @param where tells the place of the file, for the message
 * @returns how many there are
 * @throws CoreError file-invalid for a word that is no finite number
 */
export function parseNumbers(text: Letters, into: Float64Array | Float32Array, where: Where): number {
  const bytes = asBytes(text);
  const end = bytes.length - 1;
  let count = 0;
  for (let at = 0; at < end;) {
    if (bytes[at] <= SPACE) {
      at++;
      continue;
    }
    const from = at;
    if (bytes[at] === MINUS) at++;
    // Both halves stay small whole numbers, which is twice as fast.
    const first = at;
    let whole = 0;
    let digit = bytes[at] - ZERO;
    while (digit >= 0 && digit <= 9) {
      whole = (whole * 10 + digit) | 0;
      digit = bytes[++at] - ZERO;
    }
    const last = at;
    let part = 0;
    if (digit === POINT - ZERO) {
      digit = bytes[++at] - ZERO;
      while (digit >= 0 && digit <= 9) {
        part = (part * 10 + digit) | 0;
        digit = bytes[++at] - ZERO;
      }
    }
    const behind = at > last ? at - last - 1 : 0;
    let value = NaN;
    if (
      digit <= SPACE - ZERO &&
      last > first &&
      last - first <= MAX_DIGITS &&
      (behind <= MAX_DIGITS || hasFewDigits(bytes, last + 1, behind))
    ) {
      const mantissa = whole * TENS[behind] + part;
      if (mantissa < MAX_EXACT) value = mantissa / TENS[behind];
      if (from !== first) value = -value;
    }
    if (value !== value) {
      while (bytes[at] > SPACE) at++;
      value = slowly(decodeText(bytes.subarray(from, at)), where);
    }
    if (count < into.length) into[count] = value;
    count++;
  }
  return count;
}

/** Whether so many digits from a place onwards are few without the zeros that they begin with. */
function hasFewDigits(bytes: Uint8Array, from: number, count: number): boolean {
  if (count >= TENS.length) return false;
  let zeros = 0;
  while (zeros < count && bytes[from + zeros] === ZERO) zeros++;
  return count - zeros <= MAX_DIGITS;
}

const SPACE = 32;
const MINUS = 45;
const PLUS = 43;
const POINT = 46;
const ZERO = 48;

/** A text's bytes, with a space behind: letters are read twice as fast so. */
function asBytes(text: Letters): Uint8Array {
  if (typeof text === 'string') return encodeText(`${text} `);
  const bytes = new Uint8Array(text.length + 1);
  bytes.set(text);
  bytes[text.length] = SPACE;
  return bytes;
}

function slowly(word: string, where: Where): number {
  // Some programs write the decimal sign of the country that they run in.
  const value = /^[-+]?(?:\d+[.,]?\d*|[.,]\d+)(?:e[-+]?\d+)?$/i.test(word)
    ? Number(word.replace(',', '.'))
    : NaN;
  if (Number.isFinite(value)) return value;
  throw new CoreError('file-invalid', `“${word.slice(0, 30)}” is no number (${where()}).`, {
    where: where(),
  });
}

/** So many numbers as a text has room for, at most. */
export const maxNumbers = (text: Letters): number => (text.length + 1) >> 1;

/** All numbers of a text. */
export function numbersOf(text: Letters, where: Where): Float64Array {
  const all = new Float64Array(maxNumbers(text));
  return all.subarray(0, parseNumbers(text, all, where));
}

/** All whole numbers of a text; what is none is refused. */
export function wholeNumbersOf(text: Letters, where: Where): Int32Array {
  const bytes = asBytes(text);
  const end = bytes.length - 1;
  // Room for numbers of three digits at first: memory that is not touched costs too.
  let all = new Int32Array(1 + (end >> 2));
  let count = 0;
  for (let at = 0; at < end;) {
    if (bytes[at] <= SPACE) {
      at++;
      continue;
    }
    const from = at;
    if (bytes[at] === MINUS || bytes[at] === PLUS) at++;
    let value = 0;
    const first = at;
    let digit = bytes[at] - ZERO;
    while (digit >= 0 && digit <= 9) {
      value = (value * 10 + digit) | 0;
      digit = bytes[++at] - ZERO;
    }
    if (at === first || at - first > MAX_DIGITS || digit > SPACE - ZERO) {
      const word = /^\S*/.exec(decodeText(bytes.subarray(from, from + 30)))?.[0] ?? '';
      throw new CoreError('file-invalid', `“${word}” is no whole number (${where()}).`, { where: where() });
    }
    if (count === all.length) all = grown(all, maxNumbers(bytes));
    all[count++] = bytes[from] === MINUS ? -value : value;
  }
  return all.subarray(0, count);
}

function grown(numbers: Int32Array, length: number): Int32Array<ArrayBuffer> {
  const longer = new Int32Array(length);
  longer.set(numbers);
  return longer;
}
