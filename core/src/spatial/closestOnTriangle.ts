/** A triangle with less of its sides' squares, squared, for area is none. */
const SLIVER = 1e-12;
const within = (share: number): number => Math.min(1, Math.max(0, share));

/**
 * The place on a triangle that is nearest to another (Ericson 2005, "Real-time collision detection", 5.1.5).
 * @param corners nine numbers, every `step` from `at`
 * @param out     shares of the corners
 * @returns the squared distance
 */
export function closestOnTriangle(
  corners: Float32Array,
  at: number,
  step: number,
  x: number,
  y: number,
  z: number,
  out: Float64Array,
): number {
  const ax = corners[at];
  const ay = corners[at + step];
  const az = corners[at + 2 * step];
  const ux = corners[at + 3 * step] - ax;
  const uy = corners[at + 4 * step] - ay;
  const uz = corners[at + 5 * step] - az;
  const vx = corners[at + 6 * step] - ax;
  const vy = corners[at + 7 * step] - ay;
  const vz = corners[at + 8 * step] - az;
  const px = x - ax;
  const py = y - ay;
  const pz = z - az;
  const d1 = ux * px + uy * py + uz * pz;
  const d2 = vx * px + vy * py + vz * pz;
  const uu = ux * ux + uy * uy + uz * uz;
  const uv = ux * vx + uy * vy + uz * vz;
  const vv = vx * vx + vy * vy + vz * vz;
  const d3 = d1 - uu;
  const d4 = d2 - uv;
  const d5 = d1 - uv;
  const d6 = d2 - vv;
  const vc = d1 * d4 - d3 * d2;
  const vb = d5 * d2 - d1 * d6;
  const va = d3 * d6 - d5 * d4;
  let s = 0;
  let t = 0;
  if (d1 <= 0 && d2 <= 0) {
    // The first corner.
  } else if (d3 >= 0 && d4 <= d3) s = 1;
  else if (d6 >= 0 && d5 <= d6) t = 1;
  else if (vc <= 0 && d1 >= 0 && d3 <= 0) s = uu > 0 ? d1 / uu : 0;
  else if (vb <= 0 && d2 >= 0 && d6 <= 0) t = vv > 0 ? d2 / vv : 0;
  else if (va <= 0 && d4 - d3 >= 0 && d5 - d6 >= 0) {
    const across = d4 - d3 + (d5 - d6);
    t = across > 0 ? (d4 - d3) / across : 0;
    s = 1 - t;
  } else {
    const whole = va + vb + vc;
    if (whole > SLIVER * uu * vv) {
      s = vb / whole;
      t = vc / whole;
    } else {
      // Without area to speak of the sums above are rounding: it is its longest side.
      const ww = uu - 2 * uv + vv;
      if (ww >= uu && ww >= vv) {
        t = ww > 0 ? within((d4 - d3) / ww) : 0;
        s = 1 - t;
      } else if (uu >= vv) s = within(d1 / uu);
      else t = within(d2 / vv);
    }
  }
  out[0] = 1 - s - t;
  out[1] = s;
  out[2] = t;
  const dx = px - s * ux - t * vx;
  const dy = py - s * uy - t * vy;
  const dz = pz - s * uz - t * vz;
  return dx * dx + dy * dy + dz * dz;
}
