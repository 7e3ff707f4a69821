import type { BindRequest, BindSkin } from '../operations/bind/bindRequest.ts';
import type { CharacterPart } from '../document/character.ts';
import { recoverQuads } from '../mesh/quads.ts';
import { fileJointId, type Joint, type Skeleton } from '../skeleton/skeleton.ts';
import { createRows } from '../weights/rows.ts';

type Place = readonly [number, number, number];

/** A skeleton by names, parents and places, for tests. */
export function skeletonOf(joints: readonly (readonly [string, number, Place])[]): Skeleton {
  return {
    joints: joints.map(([name, parent, place], node): Joint => {
      const above = parent < 0 ? [0, 0, 0] : joints[parent][2];
      return {
        id: fileJointId(node),
        name,
        named: true,
        parent,
        side: 'middle',
        offset: [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1],
        translation: [place[0] - above[0], place[1] - above[1], place[2] - above[2]],
        rotation: [0, 0, 0, 1],
        scale: [1, 1, 1],
        node,
      };
    }),
  };
}

/** A part by positions and triangles, bound to `skeleton` where its joints stand. */
export function partOf(
  name: string,
  positions: readonly number[],
  triangles: readonly number[],
  places: readonly Place[],
): CharacterPart {
  const pointCount = positions.length / 3;
  const inverseBinds = new Float32Array((places.length + 1) * 16);
  places.forEach(([x, y, z], joint) =>
    inverseBinds.set([1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, -x, -y, -z, 1], joint * 16),
  );
  inverseBinds.set([1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1], places.length * 16);
  const shape = Float32Array.from(positions);
  const corners = Uint32Array.from(triangles);
  const { offsets, points } = recoverQuads(corners, shape);
  return {
    name,
    pointCount,
    vertexCount: pointCount,
    positions: shape,
    normals: new Float32Array(positions.length),
    vertexPoint: Uint32Array.from({ length: pointCount }, (_, p) => p),
    polygonOffsets: offsets,
    polygonPoints: points,
    triangles: corners,
    inverseBinds,
    role: 'skinned',
    source: { mesh: 0, primitive: 0, node: 0, skin: 0, jointOfSlot: places.map((_, joint) => joint) },
  };
}

export interface TubeOptions {
  readonly radius?: number;
  readonly around?: number;
  readonly rings?: number;
  /** Leaves quads out where this says so, by ring and place around. */
  readonly torn?: (ring: number, around: number) => boolean;
  readonly capped?: boolean;
}

/** A tube along x from `from` to `to`, about the line y, z. */
export function tube(
  from: number,
  to: number,
  y: number,
  z: number,
  { radius = 1, around = 12, rings = 33, torn = () => false, capped = true }: TubeOptions = {},
): { positions: number[]; triangles: number[] } {
  const positions: number[] = [];
  const triangles: number[] = [];
  for (let r = 0; r < rings; r++) {
    for (let a = 0; a < around; a++) {
      const angle = (2 * Math.PI * (a + 0.5)) / around;
      const x = from + ((to - from) * r) / (rings - 1);
      positions.push(x, y + radius * Math.cos(angle), z + radius * Math.sin(angle));
    }
  }
  for (let r = 0; r + 1 < rings; r++) {
    for (let a = 0; a < around; a++) {
      if (torn(r, a)) continue;
      const [p, q] = [r * around + a, r * around + ((a + 1) % around)];
      triangles.push(p, q, q + around, p, q + around, p + around);
    }
  }
  if (capped) {
    for (const [ring, x] of [
      [0, from],
      [rings - 1, to],
    ]) {
      const middle = positions.length / 3;
      positions.push(x, y, z);
      for (let a = 0; a < around; a++) {
        const [p, q] = [ring * around + a, ring * around + ((a + 1) % around)];
        triangles.push(...(ring === 0 ? [middle, q, p] : [middle, p, q]));
      }
    }
  }
  return { positions, triangles };
}

/** A request for everything, with nothing locked. */
export function requestFor(skin: BindSkin, more: Partial<BindRequest> = {}): BindRequest {
  const jointCount = skin.skeleton.joints.length;
  return {
    method: 'volume',
    parts: skin.parts.map((_, part) => part),
    deforming: new Uint8Array(jointCount).fill(1),
    softness: 0.25,
    limit: 4,
    locks: new Uint8Array(jointCount),
    // Few cells: enough for a tube, and quick.
    cells: 5000,
    ...more,
  };
}

/** Parts on a skeleton, without weights. */
export function skinOf(skeleton: Skeleton, parts: BindSkin['parts']): BindSkin {
  return { skeleton, parts, rows: parts.map(({ pointCount }) => createRows(pointCount)) };
}
