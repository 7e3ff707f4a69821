/** The longest side of the box around all points; 0 where there are none. */
export function largestExtent(clouds: readonly Float32Array[]): number {
  let longest = 0;
  for (let axis = 0; axis < 3; axis++) {
    let low = Infinity;
    let high = -Infinity;
    for (const cloud of clouds) {
      for (let i = axis; i < cloud.length; i += 3) {
        low = Math.min(low, cloud[i]);
        high = Math.max(high, cloud[i]);
      }
    }
    longest = Math.max(longest, high - low);
  }
  return longest;
}
