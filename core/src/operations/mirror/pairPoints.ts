import { PointCells } from '../../spatial/pointCells.ts';
import type { MirrorSpace } from '../../document/space/mirrorSpace.ts';

export const PAIR_MODES = ['place', 'topology'] as const;
/** How points find their counterparts: where the mirror shows them, or along the polygons from the middle outward. */
export type PairMode = (typeof PAIR_MODES)[number];

/** The plane that mirrors: an axis of the scene, 0 to 2, and where the middle lies on it. */
export interface MirrorPlane {
  readonly axis: number;
  readonly middle: number;
}

/** Int32Array, a point of the space: its counterpart; itself on the middle, -1 where there is none. */
export type PointPairs = Int32Array;

/**
 * Pairs by place: the point nearest to the mirrored place, within the tolerance, and only where both mean each other.
 * @param tolerance in scene units
 */
export function pairByPlace(space: MirrorSpace, plane: MirrorPlane, tolerance: number): PointPairs {
  const count = space.positions.length / 3;
  const near = nearestMirrored(space.positions, plane, tolerance);
  const pairs = new Int32Array(count).fill(-1);
  for (let p = 0; p < count; p++) {
    const q = near[p];
    if (q >= 0 && near[q] === p) pairs[p] = q;
  }
  return pairs;
}

function nearestMirrored(
  positions: Float32Array,
  { axis, middle }: MirrorPlane,
  tolerance: number,
): Int32Array {
  const count = positions.length / 3;
  const cells = new PointCells(positions, Array(count).keys(), tolerance);
  const near = new Int32Array(count);
  const at = [0, 0, 0];
  for (let p = 0; p < count; p++) {
    for (let k = 0; k < 3; k++) at[k] = positions[p * 3 + k];
    at[axis] = 2 * middle - at[axis];
    near[p] = cells.nearest(at[0], at[1], at[2]);
  }
  return near;
}

/**
 * Pairs by topology: from edges on the middle, and for islands beside it from polygons that mirror each other in place,
 * outward over the polygons, two by two. What the shape is like does not matter, only how it hangs together; a branch
 * ends where the two sides differ.
 *
 * @param tolerance how far off the middle, or off the mirrored place, the first points may be, in scene units
 */
export function pairByTopology(space: MirrorSpace, plane: MirrorPlane, tolerance: number): PointPairs {
  const walk = new PairWalk(space);
  const near = nearestMirrored(space.positions, plane, tolerance);
  walk.fromMiddle(near);
  walk.fromIslands(near);
  return walk.pairs;
}

/** A polygon entered along one of its edges: the corner that the edge begins at. */
class PairWalk {
  readonly pairs: PointPairs;
  readonly #space: MirrorSpace;
  /** Corners that begin at each point: compressed rows. */
  readonly #starts: Uint32Array;
  readonly #atPoint: Uint32Array;
  readonly #polygonOf: Uint32Array;
  readonly #done: Uint8Array;
  readonly #queue: number[] = [];

  constructor(space: MirrorSpace) {
    this.#space = space;
    const { offsets, corners, positions } = space;
    const count = positions.length / 3;
    this.pairs = new Int32Array(count).fill(-1);
    this.#starts = new Uint32Array(count + 1);
    for (const p of corners) this.#starts[p + 1]++;
    for (let p = 0; p < count; p++) this.#starts[p + 1] += this.#starts[p];
    const ends = this.#starts.slice(0, count);
    this.#atPoint = new Uint32Array(corners.length);
    this.#polygonOf = new Uint32Array(corners.length);
    for (let polygon = 0; polygon + 1 < offsets.length; polygon++) {
      for (let c = offsets[polygon]; c < offsets[polygon + 1]; c++) {
        this.#polygonOf[c] = polygon;
        this.#atPoint[ends[corners[c]]++] = c;
      }
    }
    this.#done = new Uint8Array(offsets.length - 1);
  }

  /** Edges whose ends are their own counterparts: the two polygons beside such an edge mirror each other. */
  fromMiddle(near: Int32Array): void {
    const { corners } = this.#space;
    for (let c = 0; c < corners.length; c++) {
      const [a, b] = [corners[c], corners[this.#next(c)]];
      if (near[a] !== a || near[b] !== b || a > b) continue;
      const other = this.#edge(b, a);
      if (other >= 0) this.#enter(c, other);
    }
    this.#run();
  }

  /** Islands that no middle edge led to: from the first edge whose mirrored edge is one too. */
  fromIslands(near: Int32Array): void {
    const { corners } = this.#space;
    for (let c = 0; c < corners.length; c++) {
      if (this.#done[this.#polygonOf[c]]) continue;
      const [a, b] = [corners[c], corners[this.#next(c)]];
      const [ma, mb] = [near[a], near[b]];
      if (ma < 0 || mb < 0 || near[ma] !== a || near[mb] !== b || ma === mb) continue;
      const other = this.#edge(mb, ma);
      if (other < 0 || this.#done[this.#polygonOf[other]]) continue;
      this.#enter(c, other);
      this.#run();
    }
  }

  #next(corner: number): number {
    const { offsets } = this.#space;
    const polygon = this.#polygonOf[corner];
    return corner + 1 < offsets[polygon + 1] ? corner + 1 : offsets[polygon];
  }

  #before(corner: number): number {
    const { offsets } = this.#space;
    const polygon = this.#polygonOf[corner];
    return corner > offsets[polygon] ? corner - 1 : offsets[polygon + 1] - 1;
  }

  /** The corner whose edge leads from `a` to `b`; -1 for none. */
  #edge(a: number, b: number): number {
    const { corners } = this.#space;
    for (let i = this.#starts[a]; i < this.#starts[a + 1]; i++) {
      const c = this.#atPoint[i];
      if (corners[this.#next(c)] === b) return c;
    }
    return -1;
  }

  /** Two edges that mirror each other: the first runs along its polygon, the second against its own. */
  #enter(first: number, second: number): void {
    this.#queue.push(first, second);
  }

  #run(): void {
    const { offsets, corners } = this.#space;
    for (let head = 0; head < this.#queue.length; head += 2) {
      let c = this.#queue[head];
      // The mirrored edge runs from b to a: seen from a, against the polygon.
      let d = this.#next(this.#queue[head + 1]);
      const [polygon, mirrored] = [this.#polygonOf[c], this.#polygonOf[d]];
      if (this.#done[polygon] || this.#done[mirrored]) continue;
      const size = offsets[polygon + 1] - offsets[polygon];
      if (size !== offsets[mirrored + 1] - offsets[mirrored]) continue;
      if (!this.#fits(c, d, size)) continue;
      this.#done[polygon] = this.#done[mirrored] = 1;
      for (let k = 0; k < size; k++) {
        this.pairs[corners[c]] = corners[d];
        this.pairs[corners[d]] = corners[c];
        const outward = this.#edge(corners[this.#next(c)], corners[c]);
        const across = this.#edge(corners[d], corners[this.#before(d)]);
        // The neighbour beyond the mirrored edge is entered from its other side.
        if (outward >= 0 && across >= 0) this.#queue.push(outward, across);
        c = this.#next(c);
        d = this.#before(d);
      }
    }
    this.#queue.length = 0;
  }

  /** Whether no corner of the two polygons has another counterpart already. */
  #fits(c: number, d: number, size: number): boolean {
    const { corners } = this.#space;
    for (let k = 0; k < size; k++) {
      const [p, q] = [corners[c], corners[d]];
      if ((this.pairs[p] !== -1 && this.pairs[p] !== q) || (this.pairs[q] !== -1 && this.pairs[q] !== p))
        return false;
      c = this.#next(c);
      d = this.#before(d);
    }
    return true;
  }
}
