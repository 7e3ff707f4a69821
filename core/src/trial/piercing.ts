// Where edges run through faces: the ground of all counting of crossings.

/** Faces in boxes of space, to find those near an edge. */
export class FaceCells {
  readonly #positions: Float32Array;
  readonly #triangles: Uint32Array;
  readonly #faces: Uint32Array;
  readonly #origin: [number, number, number] = [0, 0, 0];
  readonly #counts: [number, number, number] = [1, 1, 1];
  #size = 1;
  #starts = new Uint32Array(1);
  #members = new Uint32Array(0);
  readonly #stamps: Uint32Array;
  #stamp = 0;

  /** @param faces numbers of the triangles to look among */
  constructor(positions: Float32Array, triangles: Uint32Array, faces: Uint32Array) {
    this.#positions = positions;
    this.#triangles = triangles;
    this.#faces = faces;
    this.#stamps = new Uint32Array(faces.length);
    this.#layOut();
    this.#fill();
  }

  #layOut(): void {
    const least = [Infinity, Infinity, Infinity];
    const most = [-Infinity, -Infinity, -Infinity];
    let extent = 0;
    for (const t of this.#faces) {
      for (let k = 0; k < 3; k++) {
        const [a, b, c] = [0, 1, 2].map((i) => this.#positions[this.#triangles[t * 3 + i] * 3 + k]);
        const [low, high] = [Math.min(a, b, c), Math.max(a, b, c)];
        if (low < least[k]) least[k] = low;
        if (high > most[k]) most[k] = high;
        extent += (high - low) / 3;
      }
    }
    if (this.#faces.length === 0) return;
    const spans = most.map((x, k) => Math.max(x - least[k], 1e-12));
    // About two faces across a box, and not many more boxes than faces.
    const fewest = Math.cbrt((spans[0] * spans[1] * spans[2]) / (4 * this.#faces.length + 64));
    this.#size = Math.max((2 * extent) / this.#faces.length, fewest, Math.max(...spans) / 256);
    for (let k = 0; k < 3; k++) {
      this.#origin[k] = least[k];
      this.#counts[k] = Math.floor(spans[k] / this.#size) + 1;
    }
  }

  #fill(): void {
    const [nx, ny, nz] = this.#counts;
    this.#starts = new Uint32Array(nx * ny * nz + 1);
    const each = (visit: (cell: number, face: number) => void): void => {
      for (let f = 0; f < this.#faces.length; f++) {
        const t = this.#faces[f] * 3;
        this.#eachCell(this.#triangles[t], this.#triangles[t + 1], this.#triangles[t + 2], (cell) =>
          visit(cell, f),
        );
      }
    };
    each((cell) => this.#starts[cell + 1]++);
    for (let cell = 1; cell < this.#starts.length; cell++) this.#starts[cell] += this.#starts[cell - 1];
    const ends = this.#starts.slice(0, -1);
    this.#members = new Uint32Array(this.#starts[this.#starts.length - 1]);
    each((cell, f) => (this.#members[ends[cell]++] = f));
  }

  #cellOf(x: number, k: number): number {
    const c = Math.floor((x - this.#origin[k]) / this.#size);
    return c < 0 ? 0 : c >= this.#counts[k] ? this.#counts[k] - 1 : c;
  }

  #eachCell(a: number, b: number, c: number, visit: (cell: number) => void): void {
    const p = this.#positions;
    this.#eachCellOf(
      Math.min(p[a * 3], p[b * 3], p[c * 3]),
      Math.min(p[a * 3 + 1], p[b * 3 + 1], p[c * 3 + 1]),
      Math.min(p[a * 3 + 2], p[b * 3 + 2], p[c * 3 + 2]),
      Math.max(p[a * 3], p[b * 3], p[c * 3]),
      Math.max(p[a * 3 + 1], p[b * 3 + 1], p[c * 3 + 1]),
      Math.max(p[a * 3 + 2], p[b * 3 + 2], p[c * 3 + 2]),
      visit,
    );
  }

  #eachCellOf(
    x0: number,
    y0: number,
    z0: number,
    x1: number,
    y1: number,
    z1: number,
    visit: (cell: number) => void,
  ): void {
    const [nx, ny] = this.#counts;
    const [cx0, cx1] = [this.#cellOf(x0, 0), this.#cellOf(x1, 0)];
    const [cy0, cy1] = [this.#cellOf(y0, 1), this.#cellOf(y1, 1)];
    const [cz0, cz1] = [this.#cellOf(z0, 2), this.#cellOf(z1, 2)];
    for (let z = cz0; z <= cz1; z++)
      for (let y = cy0; y <= cy1; y++) for (let x = cx0; x <= cx1; x++) visit((z * ny + y) * nx + x);
  }

  /** Visits the faces (their triangle numbers) whose boxes of space meet a box, each once, until one says true. */
  near(
    x0: number,
    y0: number,
    z0: number,
    x1: number,
    y1: number,
    z1: number,
    visit: (triangle: number) => boolean,
  ): boolean {
    this.#stamp++;
    let done = false;
    this.#eachCellOf(x0, y0, z0, x1, y1, z1, (cell) => {
      for (let m = this.#starts[cell]; m < this.#starts[cell + 1] && !done; m++) {
        const f = this.#members[m];
        if (this.#stamps[f] === this.#stamp) continue;
        this.#stamps[f] = this.#stamp;
        done = visit(this.#faces[f]);
      }
    });
    return done;
  }

  /** The smallest side of a box of space. */
  get size(): number {
    return this.#size;
  }
}

/**
 * Whether the segment a–b runs through the inside of a triangle (Möller & Trumbore 1997); touching its border, or with
 * an end, does not count.
 */
export function pierces(
  from: Float32Array,
  a: number,
  b: number,
  positions: Float32Array,
  triangles: Uint32Array,
  t: number,
): boolean {
  const p = triangles[t * 3] * 3;
  const q = triangles[t * 3 + 1] * 3;
  const r = triangles[t * 3 + 2] * 3;
  const dx = from[b * 3] - from[a * 3];
  const dy = from[b * 3 + 1] - from[a * 3 + 1];
  const dz = from[b * 3 + 2] - from[a * 3 + 2];
  const ux = positions[q] - positions[p];
  const uy = positions[q + 1] - positions[p + 1];
  const uz = positions[q + 2] - positions[p + 2];
  const vx = positions[r] - positions[p];
  const vy = positions[r + 1] - positions[p + 1];
  const vz = positions[r + 2] - positions[p + 2];
  const hx = dy * vz - dz * vy;
  const hy = dz * vx - dx * vz;
  const hz = dx * vy - dy * vx;
  const det = ux * hx + uy * hy + uz * hz;
  if (det === 0) return false;
  const inverse = 1 / det;
  const sx = from[a * 3] - positions[p];
  const sy = from[a * 3 + 1] - positions[p + 1];
  const sz = from[a * 3 + 2] - positions[p + 2];
  const u = inverse * (sx * hx + sy * hy + sz * hz);
  if (u <= 0 || u >= 1) return false;
  const kx = sy * uz - sz * uy;
  const ky = sz * ux - sx * uz;
  const kz = sx * uy - sy * ux;
  const v = inverse * (dx * kx + dy * ky + dz * kz);
  if (v <= 0 || u + v >= 1) return false;
  const w = inverse * (vx * kx + vy * ky + vz * kz);
  return w > 0 && w < 1;
}

/**
 * Numbers of the listed edges that run through a face; faces that an edge's ends belong to do not count where both are
 * of one mesh.
 *
 * @param edges Uint32Array, two points of `from` an edge
 * @param same  whether edges and faces are of one mesh
 */
export function piercingEdges(
  from: Float32Array,
  edges: Uint32Array,
  list: Uint32Array,
  cells: FaceCells,
  positions: Float32Array,
  triangles: Uint32Array,
  same: boolean,
): number[] {
  const found: number[] = [];
  for (const e of list) {
    const [a, b] = [edges[e * 2], edges[e * 2 + 1]];
    const [ax, ay, az] = [from[a * 3], from[a * 3 + 1], from[a * 3 + 2]];
    const [bx, by, bz] = [from[b * 3], from[b * 3 + 1], from[b * 3 + 2]];
    const hit = cells.near(
      Math.min(ax, bx),
      Math.min(ay, by),
      Math.min(az, bz),
      Math.max(ax, bx),
      Math.max(ay, by),
      Math.max(az, bz),
      (t) => {
        if (same) {
          for (let k = 0; k < 3; k++) {
            const p = triangles[t * 3 + k];
            if (p === a || p === b) return false;
          }
        }
        return pierces(from, a, b, positions, triangles, t);
      },
    );
    if (hit) found.push(e);
  }
  return found;
}
