/** Rounds at most: whoever asks again and again comes nearer each time. */
const MAX_ROUNDS = 3;
const ENOUGH = 2e-3;

/**
 * The rotation of a 3×3 matrix, by turning a first guess until it fits (Müller, Bender, Chentanez, Macklin 2016, "A robust
 * method to extract the rotational part of deformations"). Finds a proper rotation of flat and inverted matrices too.
 *
 * @param a    9, column by column
 * @param turn unit quaternions x, y, z, w, four each: the guess; becomes the rotation
 * @param at   where in `turn` the quaternion begins
 */
export function extractRotation(a: ArrayLike<number>, turn: Float32Array, at: number): void {
  let [x, y, z, w] = [turn[at], turn[at + 1], turn[at + 2], turn[at + 3]];
  for (let round = 0; round < MAX_ROUNDS; round++) {
    const [xx, yy, zz] = [x * x, y * y, z * z];
    const [xy, xz, yz, wx, wy, wz] = [x * y, x * z, y * z, w * x, w * y, w * z];
    const r00 = 1 - 2 * (yy + zz);
    const r10 = 2 * (xy + wz);
    const r20 = 2 * (xz - wy);
    const r01 = 2 * (xy - wz);
    const r11 = 1 - 2 * (xx + zz);
    const r21 = 2 * (yz + wx);
    const r02 = 2 * (xz + wy);
    const r12 = 2 * (yz - wx);
    const r22 = 1 - 2 * (xx + yy);
    const ox = r10 * a[2] - r20 * a[1] + (r11 * a[5] - r21 * a[4]) + (r12 * a[8] - r22 * a[7]);
    const oy = r20 * a[0] - r00 * a[2] + (r21 * a[3] - r01 * a[5]) + (r22 * a[6] - r02 * a[8]);
    const oz = r00 * a[1] - r10 * a[0] + (r01 * a[4] - r11 * a[3]) + (r02 * a[7] - r12 * a[6]);
    const along =
      r00 * a[0] +
      r10 * a[1] +
      r20 * a[2] +
      (r01 * a[3] + r11 * a[4] + r21 * a[5]) +
      (r02 * a[6] + r12 * a[7] + r22 * a[8]);
    const size = Math.sqrt(ox * ox + oy * oy + oz * oz);
    const angle = Math.atan2(size, along);
    if (!(angle > ENOUGH) || size === 0) break;
    // A turn by the angle about (ox, oy, oz), before what there is.
    const sine = Math.sin(angle / 2) / size;
    const [qx, qy, qz, qw] = [ox * sine, oy * sine, oz * sine, Math.cos(angle / 2)];
    const [px, py, pz, pw] = [x, y, z, w];
    x = qw * px + qx * pw + qy * pz - qz * py;
    y = qw * py - qx * pz + qy * pw + qz * px;
    z = qw * pz + qx * py - qy * px + qz * pw;
    w = qw * pw - qx * px - qy * py - qz * pz;
    const by = 1 / Math.sqrt(x * x + y * y + z * z + w * w);
    x *= by;
    y *= by;
    z *= by;
    w *= by;
  }
  turn[at] = x;
  turn[at + 1] = y;
  turn[at + 2] = z;
  turn[at + 3] = w;
}
