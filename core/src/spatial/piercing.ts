// Where edges run through faces: the ground of all counting of crossings.

/** Faces in boxes of space, to find those near an edge. */
export class FaceCells {
  readonly #faces: Uint32Array;
  /** Float32Array, 6 a face: its box, least and greatest x, y, z. */
  readonly #boxes: Float32Array;
  readonly #origin: [number, number, number] = [0, 0, 0];
  readonly #counts: [number, number, number] = [1, 1, 1];
  readonly #stamps: Uint32Array;
  #size = 1;
  #starts = new Uint32Array(1);
  #members = new Uint32Array(0);
  #stamp = 0;

  /** @param faces numbers of the triangles to look among */
  constructor(positions: Float32Array, triangles: Uint32Array, faces: Uint32Array) {
    this.#faces = faces;
    this.#boxes = boxesOf(positions, triangles, faces);
    this.#stamps = new Uint32Array(faces.length);
    if (faces.length === 0) return;
    this.#layOut();
    this.#fill();
  }

  #layOut(): void {
    const boxes = this.#boxes;
    let extent = 0;
    const spans = [0, 0, 0];
    for (let k = 0; k < 3; k++) {
      let [low, high] = [Infinity, -Infinity];
      for (let at = k * 2; at < boxes.length; at += 6) {
        if (boxes[at] < low) low = boxes[at];
        if (boxes[at + 1] > high) high = boxes[at + 1];
        extent += (boxes[at + 1] - boxes[at]) / 3;
      }
      this.#origin[k] = low;
      spans[k] = Math.max(high - low, 1e-12);
    }
    // About two faces across a box, and not many more boxes than faces.
    const count = this.#faces.length;
    const fewest = Math.cbrt((spans[0] * spans[1] * spans[2]) / (4 * count + 64));
    this.#size = Math.max((2 * extent) / count, fewest, Math.max(...spans) / 256);
    for (let k = 0; k < 3; k++) this.#counts[k] = Math.floor(spans[k] / this.#size) + 1;
  }

  /** Two rounds over the faces' boxes: how many each box of space has, then which. */
  #fill(): void {
    const [nx, ny, nz] = this.#counts;
    const starts = new Uint32Array(nx * ny * nz + 1);
    const boxes = this.#boxes;
    let ends: Uint32Array | undefined;
    for (let round = 0; round < 2; round++) {
      for (let f = 0; f < this.#faces.length; f++) {
        const b = f * 6;
        const x0 = this.#cellOf(boxes[b], 0);
        const x1 = this.#cellOf(boxes[b + 1], 0);
        const y0 = this.#cellOf(boxes[b + 2], 1);
        const y1 = this.#cellOf(boxes[b + 3], 1);
        const z0 = this.#cellOf(boxes[b + 4], 2);
        const z1 = this.#cellOf(boxes[b + 5], 2);
        for (let z = z0; z <= z1; z++) {
          for (let y = y0; y <= y1; y++) {
            const row = (z * ny + y) * nx;
            for (let x = x0; x <= x1; x++) {
              if (ends) this.#members[ends[row + x]++] = f;
              else starts[row + x + 1]++;
            }
          }
        }
      }
      if (ends) break;
      for (let cell = 1; cell < starts.length; cell++) starts[cell] += starts[cell - 1];
      ends = starts.slice(0, -1);
      this.#members = new Uint32Array(starts[starts.length - 1]);
    }
    this.#starts = starts;
  }

  #cellOf(x: number, k: number): number {
    const c = Math.floor((x - this.#origin[k]) / this.#size);
    return c < 0 ? 0 : c >= this.#counts[k] ? this.#counts[k] - 1 : c;
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
    const stamp = ++this.#stamp;
    if (this.#faces.length === 0) return false;
    const [nx, ny] = this.#counts;
    const boxes = this.#boxes;
    const starts = this.#starts;
    const members = this.#members;
    const stamps = this.#stamps;
    const cx0 = this.#cellOf(x0, 0);
    const cx1 = this.#cellOf(x1, 0);
    const cy0 = this.#cellOf(y0, 1);
    const cy1 = this.#cellOf(y1, 1);
    const cz1 = this.#cellOf(z1, 2);
    for (let z = this.#cellOf(z0, 2); z <= cz1; z++) {
      for (let y = cy0; y <= cy1; y++) {
        for (let x = cx0; x <= cx1; x++) {
          const cell = (z * ny + y) * nx + x;
          const end = starts[cell + 1];
          for (let m = starts[cell]; m < end; m++) {
            const f = members[m];
            const b = f * 6;
            if (boxes[b] > x1 || boxes[b + 1] < x0 || boxes[b + 2] > y1 || boxes[b + 3] < y0) continue;
            if (boxes[b + 4] > z1 || boxes[b + 5] < z0 || stamps[f] === stamp) continue;
            stamps[f] = stamp;
            if (visit(this.#faces[f])) return true;
          }
        }
      }
    }
    return false;
  }

  /** The smallest side of a box of space. */
  get size(): number {
    return this.#size;
  }
}

/** The squared sine of the angle below which a segment lies in a triangle's plane: places are told no finer. */
const FLAT = 1e-8;

function boxesOf(positions: Float32Array, triangles: Uint32Array, faces: Uint32Array): Float32Array {
  const boxes = new Float32Array(faces.length * 6);
  for (let f = 0; f < faces.length; f++) {
    const t = faces[f] * 3;
    const a = triangles[t] * 3;
    const b = triangles[t + 1] * 3;
    const c = triangles[t + 2] * 3;
    for (let k = 0; k < 3; k++) {
      const x = positions[a + k];
      const y = positions[b + k];
      const z = positions[c + k];
      boxes[f * 6 + k * 2] = x < y ? (x < z ? x : z) : y < z ? y : z;
      boxes[f * 6 + k * 2 + 1] = x > y ? (x > z ? x : z) : y > z ? y : z;
    }
  }
  return boxes;
}

/**
 * Whether the segment a–b runs through a triangle or touches it (Möller & Trumbore 1997). Segments in its plane do not.
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
  const most = (dx * dx + dy * dy + dz * dz) * (ux * ux + uy * uy + uz * uz) * (vx * vx + vy * vy + vz * vz);
  if (det * det <= FLAT * most) return false;
  const inverse = 1 / det;
  const sx = from[a * 3] - positions[p];
  const sy = from[a * 3 + 1] - positions[p + 1];
  const sz = from[a * 3 + 2] - positions[p + 2];
  const u = inverse * (sx * hx + sy * hy + sz * hz);
  if (u < 0 || u > 1) return false;
  const kx = sy * uz - sz * uy;
  const ky = sz * ux - sx * uz;
  const kz = sx * uy - sy * ux;
  const v = inverse * (dx * kx + dy * ky + dz * kz);
  if (v < 0 || u + v > 1) return false;
  const w = inverse * (vx * kx + vy * ky + vz * kz);
  return w >= 0 && w <= 1;
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
  let a = 0;
  let b = 0;
  const meets = (t: number): boolean => {
    if (same) {
      const p = triangles[t * 3];
      const q = triangles[t * 3 + 1];
      const r = triangles[t * 3 + 2];
      if (p === a || p === b || q === a || q === b || r === a || r === b) return false;
    }
    return pierces(from, a, b, positions, triangles, t);
  };
  for (let i = 0; i < list.length; i++) {
    const e = list[i];
    a = edges[e * 2];
    b = edges[e * 2 + 1];
    const ax = from[a * 3];
    const ay = from[a * 3 + 1];
    const az = from[a * 3 + 2];
    const bx = from[b * 3];
    const by = from[b * 3 + 1];
    const bz = from[b * 3 + 2];
    const hit = cells.near(
      ax < bx ? ax : bx,
      ay < by ? ay : by,
      az < bz ? az : bz,
      ax > bx ? ax : bx,
      ay > by ? ay : by,
      az > bz ? az : bz,
      meets,
    );
    if (hit) found.push(e);
  }
  return found;
}
