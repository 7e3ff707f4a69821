import type { Json } from '../../document/json.ts';
import { type MovedBlocks, movedValues, readMoved } from '../../document/movedPoints.ts';
import type { SkinArrays } from '../../deform/skin.ts';
import { facesAbout, type PointFaces } from '../../mesh/facesAbout.ts';
import { pointsTurned, turnNormals } from '../../mesh/turnNormals.ts';

/** The part on which a stroke moves points at rest; `rest` and `restNormals` are written. */
export interface RestSubject {
  readonly index: number;
  readonly skin: Pick<SkinArrays, 'rest' | 'restNormals' | 'rows' | 'palette'>;
  readonly triangles: Uint32Array;
  readonly pointCount: number;
  /** How far its points are moved already, as the document keeps it. */
  readonly held: MovedBlocks | undefined;
}

/** Below this a point's matrix is flat: nothing that it does can be said at rest. */
const MIN_VOLUME = 1e-12;
const blended = new Float64Array(9);

/** A stroke that moves points of one part at rest, wherever the pose on the stage has them: by what leads there from rest. */
export class RestStroke {
  readonly #subject: RestSubject;
  readonly #faces: PointFaces;
  readonly #start: {
    readonly positions: Float32Array;
    readonly normals: Float32Array;
    readonly triangles: Uint32Array;
  };
  /** How far the stroke has moved points so far: three a point, part space. */
  readonly #moves: Float64Array;
  readonly #moved = new Set<number>();

  constructor(subject: RestSubject) {
    const { skin, triangles, pointCount } = subject;
    this.#subject = subject;
    this.#faces = facesAbout(triangles, pointCount);
    this.#start = { positions: skin.rest.slice(), normals: skin.restNormals.slice(), triangles };
    this.#moves = new Float64Array(pointCount * 3);
  }

  /** Points that were moved. */
  get moved(): ReadonlySet<number> {
    return this.#moved;
  }

  /** How far a point was moved, part space. */
  moveOf(point: number): Float64Array {
    return this.#moves.subarray(point * 3, point * 3 + 3);
  }

  /**
   * Moves points by so much in the scene, as the pose has them.
   * @param moves Float64Array, 3 a listed point
   * @param from  where they are now, or where they were when the stroke began
   */
  move(points: Uint32Array, count: number, moves: Float64Array, from: 'now' | 'start'): void {
    for (let i = 0; i < count; i++) {
      const own = this.#atRest(points[i], moves.subarray(i * 3, i * 3 + 3));
      this.put(points[i], own, from);
    }
  }

  /** Moves a point by so much in part space. */
  put(point: number, by: ArrayLike<number>, from: 'now' | 'start'): void {
    const { rest } = this.#subject.skin;
    this.#moved.add(point);
    for (let k = 0, at = point * 3; k < 3; k++, at++) {
      this.#moves[at] = (from === 'now' ? this.#moves[at] : 0) + by[k];
      rest[at] = this.#start.positions[at] + this.#moves[at];
    }
  }

  /** Turns normals about points that were moved. @returns all points that look otherwise now */
  settle(points: Iterable<number>): Uint32Array {
    const { rest, restNormals } = this.#subject.skin;
    const turned = pointsTurned(points, this.#start.triangles, this.#faces);
    for (const p of points) turned.add(p);
    turnNormals(this.#start, this.#faces, turned, rest, restNormals);
    return Uint32Array.from(turned);
  }

  /** Puts everything back. */
  takeBack(): Uint32Array {
    for (const p of this.#moved) this.put(p, [0, 0, 0], 'start');
    return this.settle(this.#moved);
  }

  /** What the document holds of it then. */
  values(): Record<string, Json> {
    const { index, held = {} } = this.#subject;
    const { points, moves } = readMoved(held);
    const known = new Map([...points].map((p, i) => [p, i * 3]));
    const wanted = new Map(
      [...this.#moved].map((p) => {
        const from = known.get(p);
        const [x, y, z] = [0, 1, 2].map(
          (k) => this.#moves[p * 3 + k] + (from === undefined ? 0 : moves[from + k]),
        );
        return [p, [x, y, z] as const];
      }),
    );
    return movedValues(index, held, wanted);
  }

  /** A move in the scene as it is at rest: through the inverse of what the point's joints do to it. */
  #atRest(point: number, by: Float64Array): [number, number, number] {
    blendAt(this.#subject.skin, point);
    const m = blended;
    const c0 = [m[4] * m[8] - m[5] * m[7], m[5] * m[6] - m[3] * m[8], m[3] * m[7] - m[4] * m[6]];
    const volume = m[0] * c0[0] + m[1] * c0[1] + m[2] * c0[2];
    if (!(Math.abs(volume) > MIN_VOLUME)) return [0, 0, 0];
    // Columns of the inverse's transpose are the cross products of the matrix's columns.
    const c1 = [m[7] * m[2] - m[8] * m[1], m[8] * m[0] - m[6] * m[2], m[6] * m[1] - m[7] * m[0]];
    const c2 = [m[1] * m[5] - m[2] * m[4], m[2] * m[3] - m[0] * m[5], m[0] * m[4] - m[1] * m[3]];
    const along = (c: readonly number[]): number => (c[0] * by[0] + c[1] * by[1] + c[2] * by[2]) / volume;
    return [along(c0), along(c1), along(c2)];
  }
}

/** The turn and scale that a point's joints give it: three columns of three. */
function blendAt({ rows, palette }: RestSubject['skin'], point: number): void {
  const add = (from: number, weight: number): void => {
    for (let c = 0; c < 3; c++)
      for (let k = 0; k < 3; k++) blended[c * 3 + k] += weight * palette[from + c * 4 + k];
  };
  blended.fill(0);
  const row = point * rows.stride;
  if (rows.values[row] === 0) add(palette.length - 16, 1);
  else
    for (let k = row; k < row + rows.stride && rows.values[k] !== 0; k++)
      add(rows.joints[k] * 16, rows.values[k]);
}
