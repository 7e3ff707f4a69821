/** Several arrays behind one another. */
export function joinFloats(arrays: readonly Float32Array[]): Float32Array {
  const all = new Float32Array(arrays.reduce((sum, { length }) => sum + length, 0));
  let at = 0;
  for (const own of arrays) {
    all.set(own, at);
    at += own.length;
  }
  return all;
}
