import { BufferAttribute, BufferGeometry, DoubleSide, Vector3, type Ray } from 'three';
import { INTERSECTED, MeshBVH, type SerializedBVH } from 'three-mesh-bvh';

/** What picking needs of a part. */
export interface PickedPart {
  readonly part: { readonly triangles: Uint32Array; readonly pointCount: number };
  readonly skin: { readonly positions: Float32Array; readonly normals: Float32Array };
  readonly tree: SerializedBVH;
  /** 1 for points that are hidden, and are not met. */
  readonly hidden?: Uint8Array;
}

/** A part's surface as it was when it was held. */
export interface HeldSurface {
  readonly positions: Float32Array;
  readonly normals: Float32Array;
}

export interface Hit {
  readonly place: [number, number, number];
  readonly normal: [number, number, number];
  readonly distance: number;
  /** Corners of the triangle that was hit. */
  readonly corners: [number, number, number];
  /** The corner nearest to the hit. */
  readonly point: number;
}

/** Finds what lies under the pointer on the posed surface of one part. The tree is refitted only where it must be. */
export class PartPicker {
  readonly #part: PickedPart;
  readonly #tree: MeshBVH;
  #stale = true;
  readonly #touched = new Set<number>();
  readonly #geometry = new BufferGeometry();
  readonly #live: ReturnType<BufferGeometry['getAttribute']>;
  /** The surface that is met instead of the one that is drawn. */
  held: HeldSurface | undefined;
  /** point → tree nodes that hold a triangle of it: compressed rows, made at the first touch. */
  #leaves: { offsets: Uint32Array; nodes: Uint32Array; parents: Uint32Array } | undefined;

  /** @param geometry with the attribute over the part's posed positions, shared with the drawing */
  constructor(part: PickedPart, geometry: BufferGeometry) {
    this.#part = part;
    this.#live = geometry.getAttribute('position');
    this.#geometry.setIndex(geometry.index).setAttribute('position', this.#live);
    this.#tree = MeshBVH.deserialize(part.tree, this.#geometry, { setIndex: false });
  }

  /** Meets the surface as it is now, however it moves, until it is let go. */
  hold(): void {
    this.#refit();
    const { positions, normals } = this.#part.skin;
    this.held = { positions: positions.slice(), normals: normals.slice() };
    this.#geometry.setAttribute('position', new BufferAttribute(this.held.positions, 3));
  }

  letGo(): void {
    this.held = undefined;
    this.#geometry.setAttribute('position', this.#live);
  }

  /** The whole surface has moved. */
  moved(): void {
    this.#stale = true;
  }

  /** Some points have moved. */
  touched(points: Uint32Array, count: number): void {
    if (this.#stale) return;
    const { offsets, nodes, parents } = (this.#leaves ??= this.#findLeaves());
    for (let i = 0; i < count; i++) {
      for (let k = offsets[points[i]]; k < offsets[points[i] + 1]; k++) {
        for (let node = nodes[k]; !this.#touched.has(node); node = parents[node]) this.#touched.add(node);
      }
    }
  }

  pick(ray: Ray): Hit | undefined {
    this.#refit();
    const hit = this.#part.hidden ? this.#hits(ray)[0] : this.#tree.raycastFirst(ray, DoubleSide);
    if (!hit || hit.faceIndex === null || hit.faceIndex === undefined) return undefined;
    const { triangles } = this.#part.part;
    const at = hit.faceIndex * 3;
    const corners: Hit['corners'] = [triangles[at], triangles[at + 1], triangles[at + 2]];
    const { positions } = this.held ?? this.#part.skin;
    const far = (p: number): number =>
      Math.hypot(
        positions[p * 3] - hit.point.x,
        positions[p * 3 + 1] - hit.point.y,
        positions[p * 3 + 2] - hit.point.z,
      );
    const point = corners.reduce((best, p) => (far(p) < far(best) ? p : best));
    const normal = hit.face?.normal ?? new Vector3(0, 1, 0);
    if (normal.dot(ray.direction) > 0) normal.negate();
    return {
      place: hit.point.toArray(),
      normal: normal.toArray(),
      distance: hit.distance,
      corners,
      point,
    };
  }

  /** How far along a ray the surface is met, nearest first. */
  distances(ray: Ray): number[] {
    this.#refit();
    return this.#hits(ray).map(({ distance }) => distance);
  }

  /** All hits that are not hidden, nearest first. */
  #hits(ray: Ray) {
    const { hidden, part } = this.#part;
    return this.#tree
      .raycast(ray, DoubleSide)
      .filter(({ faceIndex }) => {
        const at = (faceIndex ?? 0) * 3;
        return !hidden || !part.triangles.subarray(at, at + 3).some((p) => hidden[p]);
      })
      .sort((a, b) => a.distance - b.distance);
  }

  #refit(): void {
    if (this.held) return;
    if (this.#stale) this.#tree.refit();
    else if (this.#touched.size > 0) this.#tree.refit(this.#touched);
    this.#stale = false;
    this.#touched.clear();
  }

  #findLeaves() {
    // 1. Walk the tree from above: the node above each node, and the leaf of each triangle.
    const { triangles, pointCount } = this.#part.part;
    const leafOfTriangle = new Uint32Array(triangles.length / 3);
    const above: number[] = [];
    const parentList: number[] = [];
    this.#tree.shapecast({
      intersectsBounds: (_box, _isLeaf, _score, depth, node) => {
        above[depth] = node;
        parentList[node] = depth > 0 ? above[depth - 1] : node;
        return INTERSECTED;
      },
      intersectsRange: (offset, count, _contained, _depth, node) => {
        for (let i = offset; i < offset + count; i++)
          leafOfTriangle[this.#tree.resolveTriangleIndex(i)] = node;
        return false;
      },
    });
    // 2. Leaves by point (counting sort; a point has a handful).
    const offsets = new Uint32Array(pointCount + 1);
    for (const point of triangles) offsets[point + 1]++;
    for (let p = 0; p < pointCount; p++) offsets[p + 1] += offsets[p];
    const fill = offsets.slice();
    const nodes = new Uint32Array(triangles.length);
    for (let i = 0; i < triangles.length; i++)
      nodes[fill[triangles[i]]++] = leafOfTriangle[Math.floor(i / 3)];
    return { offsets, nodes, parents: Uint32Array.from(parentList) };
  }
}

/** Attributes that are to be sent as a whole at the next drawing, whatever else changes until then. */
const whole = new WeakSet<BufferAttribute>();

/** Sends all of an attribute at the next drawing: ranges that were asked for before would leave the rest as it was. */
export function markWhole(attribute: BufferAttribute): void {
  attribute.clearUpdateRanges();
  attribute.needsUpdate = true;
  whole.add(attribute);
  attribute.onUpload(() => whole.delete(attribute));
}

/** Sends the values of changed points at the next drawing, and only those. */
export function markChanged(attribute: BufferAttribute, points: Uint32Array, count: number): void {
  if (whole.has(attribute)) return;
  // Ranges with small gaps are cheaper to send as one; a scattered change is sent whole.
  const sorted = points.slice(0, count).sort();
  const size = attribute.itemSize;
  const ranges: [number, number][] = [];
  for (const point of sorted) {
    const last = ranges.at(-1);
    if (last && point - last[1] < 64) last[1] = point;
    else ranges.push([point, point]);
  }
  if (ranges.length > 48) {
    markWhole(attribute);
    return;
  }
  for (const [from, to] of ranges) attribute.addUpdateRange(from * size, (to - from + 1) * size);
  attribute.needsUpdate = true;
}
