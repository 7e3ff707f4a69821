/** Numbers behind the point, at most, that a single-precision number needs: nine digits tell any two apart. */
const DIGITS = [7, 8, 9];

/** The shortest decimal text that is read back as the same single-precision number. */
export function singleText(value: number): string {
  if (Number.isInteger(value) && Math.abs(value) < 1e7) return Object.is(value, -0) ? '0' : String(value);
  for (const digits of DIGITS) {
    const short = Number(value.toPrecision(digits));
    if (Math.fround(short) === value) return String(short);
  }
  return String(value);
}

/** Numbers with spaces between, a line after each `width` of them. */
export function singlesText(values: ArrayLike<number>): string {
  const words = new Array<string>(values.length);
  for (let i = 0; i < values.length; i++) words[i] = singleText(values[i]);
  return words.join(' ');
}
