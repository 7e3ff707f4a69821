import {
  createDualPalette,
  createPaintWorkspace,
  createReachWorkspace,
  dualPaletteBytes,
  paintWorkspaceBytes,
  type CharacterPart,
  type DualPalette,
  type Kernels,
  type PaintWorkspace,
  type PointMask,
  type ReachWorkspace,
  type SkinArrays,
  type WeightRows,
} from '@judoka/core';
import type { SerializedBVH } from 'three-mesh-bvh';
import type { ReadResult } from '../workers/reader.worker.ts';

/** A part while it is worked on: its arrays lie in the kernels' memory. */
export interface SessionPart {
  readonly index: number;
  readonly part: CharacterPart;
  readonly skin: SkinArrays;
  /** The same joints' turns, for dual quaternion skinning. */
  readonly dual: DualPalette;
  readonly strain: StrainArrays;
  readonly paint: PaintWorkspace;
  readonly reach: ReachWorkspace;
  /** Float32Array, pointCount: the chosen joint's weight, as drawn. */
  readonly column: Float32Array;
  /** Uint8Array, pointCount: 1 where the chosen joint's weight lies apart from its main region. */
  readonly apart: Uint8Array;
  readonly tree: SerializedBVH;
  visible: boolean;
  /** 1 for points of pieces that are hidden; undefined where none is. */
  hidden?: PointMask;
}

/** What the strain view needs: edges with their lengths at rest, their strains, and a strain a point. */
export interface StrainArrays {
  readonly edges: Uint32Array;
  readonly lengths: Float32Array;
  readonly strains: Float32Array;
  readonly points: Float32Array;
  /** Whether edges and lengths are filled in: that waits until somebody looks. */
  ready: boolean;
}

/** Kernel memory that a part needs, in bytes; `room` is for joints. */
export function partBytes(part: CharacterPart, stride: number, room: number, neighbourCount: number): number {
  const perPoint = stride * 6 + 4 * 12 + 4 + 4;
  return (
    part.pointCount * perPoint +
    neighbourCount * 4 +
    (room + 1) * 64 +
    dualPaletteBytes(room) +
    neighbourCount * 8 +
    part.pointCount * 4 +
    paintWorkspaceBytes(part.pointCount, stride) +
    48 * 16
  );
}

export function createSessionPart(
  kernels: Kernels,
  read: ReadResult,
  index: number,
  rows: WeightRows,
  room: number,
): SessionPart {
  const part = read.character.parts[index];
  const found = read.neighbours[index];
  const held = kernels.rows(part.pointCount, rows.stride);
  held.joints.set(rows.joints);
  held.values.set(rows.values);
  const copy = (source: Float32Array): Float32Array => {
    const target = kernels.f32(source.length);
    target.set(source);
    return target;
  };
  const neighbours = { offsets: kernels.u32(found.offsets.length), points: kernels.u32(found.points.length) };
  neighbours.offsets.set(found.offsets);
  neighbours.points.set(found.points);
  return {
    index,
    part,
    skin: {
      rest: copy(part.positions),
      restNormals: copy(part.normals),
      rows: held,
      palette: kernels.f32((room + 1) * 16),
      positions: kernels.f32(part.positions.length),
      normals: kernels.f32(part.positions.length),
    },
    dual: createDualPalette(room, (length) => kernels.f32(length)),
    strain: {
      edges: kernels.u32(found.points.length),
      lengths: kernels.f32(found.points.length / 2),
      strains: kernels.f32(found.points.length / 2),
      points: kernels.f32(part.pointCount),
      ready: false,
    },
    paint: createPaintWorkspace(kernels, part.pointCount, rows.stride, neighbours),
    reach: createReachWorkspace(part.pointCount),
    column: kernels.f32(part.pointCount),
    apart: new Uint8Array(part.pointCount),
    tree: read.trees[index],
    visible: true,
  };
}
