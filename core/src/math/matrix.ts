/**
 * a · b of 4×4 matrices that lie, column by column, in flat arrays of many; the result may lie where a or b do.
 * @param i, j, to where they begin in their arrays
 */
export function multiplyAt(
  out: Float32Array,
  to: number,
  a: Float32Array,
  i: number,
  b: Float32Array,
  j: number,
): void {
  const [a00, a01, a02, a03] = [a[i], a[i + 1], a[i + 2], a[i + 3]];
  const [a10, a11, a12, a13] = [a[i + 4], a[i + 5], a[i + 6], a[i + 7]];
  const [a20, a21, a22, a23] = [a[i + 8], a[i + 9], a[i + 10], a[i + 11]];
  const [a30, a31, a32, a33] = [a[i + 12], a[i + 13], a[i + 14], a[i + 15]];
  for (let column = 0; column < 16; column += 4) {
    const [x, y, z, w] = [b[j + column], b[j + column + 1], b[j + column + 2], b[j + column + 3]];
    out[to + column] = x * a00 + y * a10 + z * a20 + w * a30;
    out[to + column + 1] = x * a01 + y * a11 + z * a21 + w * a31;
    out[to + column + 2] = x * a02 + y * a12 + z * a22 + w * a32;
    out[to + column + 3] = x * a03 + y * a13 + z * a23 + w * a33;
  }
}
