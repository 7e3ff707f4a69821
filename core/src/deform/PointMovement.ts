import { AFFINE, type PosedPalettes } from './PosedPalettes.ts';

/**
 * How a point of a part moves away from where its weights put it, when they become others: linear in the new weights, a
 * vector an influence and pose. Poses that move all of a point's influences alike say nothing and are left out.
 */
export class PointMovement {
  readonly #posed: PosedPalettes;
  readonly #palettes: Float32Array;
  readonly #rest: Float32Array;
  /** 3 an influence and pose: from where the point is to where that influence alone would put it. */
  #offsets = new Float64Array(0);
  /** By pose that says something: its number. */
  #poses = new Int32Array(0);
  #count = 0;
  #influences = 0;

  /**
   * @param rest         the part's points, part space
   * @param inverseBinds the part's, 16 a joint
   */
  constructor(posed: PosedPalettes, rest: Float32Array, inverseBinds: Float32Array) {
    this.#posed = posed;
    this.#palettes = posed.palettesOf(inverseBinds);
    this.#rest = rest;
  }

  /** Poses that tell a point's influences apart. */
  get poseCount(): number {
    return this.#count;
  }

  /**
   * Looks at a point.
   * @param joints  the influences that it has or may get
   * @param weights how much of each it has now; they need not sum to one
   * @param count   of both
   */
  look(point: number, joints: ArrayLike<number>, weights: ArrayLike<number>, count: number): void {
    const posed = this.#posed;
    if (this.#offsets.length < posed.count * count * 3) {
      this.#offsets = new Float64Array(posed.count * count * 3);
      this.#poses = new Int32Array(posed.count);
    }
    this.#influences = count;
    this.#count = 0;
    let sum = 0;
    for (let i = 0; i < count; i++) sum += weights[i];
    const [x, y, z] = [this.#rest[point * 3], this.#rest[point * 3 + 1], this.#rest[point * 3 + 2]];
    const [m, out] = [this.#palettes, this.#offsets];
    let told: Uint8Array | undefined;
    let tells = true;
    for (let k = 0; k < posed.count; k++) {
      const moved = posed.movedIn(k);
      if (moved !== told || moved === undefined) tells = moved === undefined || differ(moved, joints, count);
      told = moved;
      if (!tells) continue;
      const from = this.#count * count * 3;
      let [vx, vy, vz] = [0, 0, 0];
      for (let i = 0; i < count; i++) {
        const at = (k * posed.jointCount + joints[i]) * AFFINE;
        const px = m[at] * x + m[at + 3] * y + m[at + 6] * z + m[at + 9];
        const py = m[at + 1] * x + m[at + 4] * y + m[at + 7] * z + m[at + 10];
        const pz = m[at + 2] * x + m[at + 5] * y + m[at + 8] * z + m[at + 11];
        const to = from + i * 3;
        out[to] = px;
        out[to + 1] = py;
        out[to + 2] = pz;
        const share = weights[i] / sum;
        vx += share * px;
        vy += share * py;
        vz += share * pz;
      }
      for (let i = from; i < from + count * 3; i += 3) {
        out[i] -= vx;
        out[i + 1] -= vy;
        out[i + 2] -= vz;
      }
      this.#poses[this.#count++] = k;
    }
  }

  /**
   * The products of the influences' vectors, summed over the poses: count × count, into `gram`. The square of how far weights w
   * move the point, summed over the poses, is wᵀ·gram·w.
   * @param importance how much each of the poses that count weighs; all alike without
   */
  gram(gram: Float64Array, importance?: Float64Array): void {
    const [n, offsets] = [this.#influences, this.#offsets];
    gram.fill(0, 0, n * n);
    for (let k = 0; k < this.#count; k++) {
      const from = k * n * 3;
      const share = importance ? importance[k] : 1;
      for (let i = 0; i < n; i++) {
        const a = from + i * 3;
        const [ax, ay, az] = [share * offsets[a], share * offsets[a + 1], share * offsets[a + 2]];
        for (let j = 0; j <= i; j++) {
          const b = from + j * 3;
          gram[i * n + j] += ax * offsets[b] + ay * offsets[b + 1] + az * offsets[b + 2];
        }
      }
    }
    for (let i = 0; i < n; i++) for (let j = i + 1; j < n; j++) gram[i * n + j] = gram[j * n + i];
  }

  /** How far weights move the point in each pose that counts, squared, into `squares`; and the greatest of them. */
  squares(weights: ArrayLike<number>, squares: Float64Array): number {
    const [n, offsets] = [this.#influences, this.#offsets];
    let most = 0;
    for (let k = 0; k < this.#count; k++) {
      let [x, y, z] = [0, 0, 0];
      for (let i = 0, at = k * n * 3; i < n; i++, at += 3) {
        x += weights[i] * offsets[at];
        y += weights[i] * offsets[at + 1];
        z += weights[i] * offsets[at + 2];
      }
      squares[k] = x * x + y * y + z * z;
      if (squares[k] > most) most = squares[k];
    }
    return most;
  }

  /** The number, among all poses, of one that counts. */
  poseAt(k: number): number {
    return this.#poses[k];
  }
}

function differ(moved: Uint8Array, joints: ArrayLike<number>, count: number): boolean {
  for (let i = 1; i < count; i++) if (moved[joints[i]] !== moved[joints[0]]) return true;
  return false;
}
