import { facesAbout, type PointFaces } from '../../mesh/facesAbout.ts';
import { pointsTurned, turnNormals } from '../../mesh/turnNormals.ts';
import type { PointMoves } from '../../mesh/morphs.ts';

/** How much of a shape there is on a part. */
export interface MorphAmount {
  readonly moves: PointMoves;
  readonly amount: number;
  /** How much of it each point takes, 0..1; all of it where it is missing. */
  readonly mask?: Float32Array;
}

/** The part that shapes move, as it is without any; part space. */
export interface MorphedPart {
  readonly positions: Float32Array;
  readonly normals: Float32Array;
  readonly triangles: Uint32Array;
  readonly pointCount: number;
}

/** Puts a part's points at rest where shapes move them, several at once (glTF 2.0 specification, 3.7.2.2), with their normals. */
export class PartMorpher {
  readonly #part: MorphedPart;
  /** By point: the faces about it, compressed; made when first needed. */
  #faces: PointFaces | undefined;
  /** Points that are moved now, and those whose normals are turned. */
  #moved: Uint32Array = new Uint32Array(0);
  #turned: Uint32Array = new Uint32Array(0);

  constructor(part: MorphedPart) {
    this.#part = part;
  }

  /**
   * Moves the points as far as shapes do; what other amounts had moved goes back.
   * @param rest, normals Float32Array, 3 a point: the result; they must be the part's own, or what the last call left
   */
  apply(amounts: readonly MorphAmount[], rest: Float32Array, normals: Float32Array): void {
    const { positions, normals: base } = this.#part;
    for (const p of this.#moved) for (let k = p * 3; k < p * 3 + 3; k++) rest[k] = positions[k];
    for (const p of this.#turned) for (let k = p * 3; k < p * 3 + 3; k++) normals[k] = base[k];
    const moved = new Set<number>();
    for (const { moves, amount, mask } of amounts) {
      if (amount === 0) continue;
      moves.points.forEach((p, i) => {
        const share = amount * (mask ? mask[p] : 1);
        if (share === 0) return;
        moved.add(p);
        rest[p * 3] += share * moves.moves[i * 3];
        rest[p * 3 + 1] += share * moves.moves[i * 3 + 1];
        rest[p * 3 + 2] += share * moves.moves[i * 3 + 2];
      });
    }
    this.#moved = Uint32Array.from(moved);
    this.#turnNormals(rest, normals);
  }

  /** Normals go along as the faces about a point turn: by what the sum of their normals changes. */
  #turnNormals(rest: Float32Array, normals: Float32Array): void {
    const { triangles, pointCount } = this.#part;
    if (this.#moved.length === 0) {
      this.#turned = this.#moved;
      return;
    }
    this.#faces ??= facesAbout(triangles, pointCount);
    const turned = pointsTurned(this.#moved, triangles, this.#faces);
    turnNormals(this.#part, this.#faces, turned, rest, normals);
    this.#turned = Uint32Array.from(turned);
  }
}
