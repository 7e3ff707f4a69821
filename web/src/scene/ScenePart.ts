import { createDualPalette, type DualPalette, laySkin, type SkinArrays } from '@judoka/core/deform';
import {
  createPaintWorkspace,
  createFootprintWorkspace,
  type PaintWorkspace,
  type FootprintWorkspace,
} from '@judoka/core/operations/paint';
import { anchorsOfPoints } from '@judoka/core/drawing';
import type { CharacterPart } from '@judoka/core/document';
import type { KernelMemory } from '@judoka/core/memory';
import type { PointMask } from '@judoka/core/mesh';
import type { WeightRows } from '@judoka/core/weights';
import type { SerializedBVH } from 'three-mesh-bvh';
import { LayerFill } from './flat/LayerFill.ts';
import type { BoundCharacter } from '../document/BoundCharacter.ts';
import type { ReadResult } from '../document/reading/reader.worker.ts';

/** A part while it is worked on: its arrays lie in the kernels' memory. */
export interface ScenePart {
  readonly index: number;
  readonly part: CharacterPart;
  readonly skin: SkinArrays;
  /** The same joints' turns, for dual quaternion skinning. */
  readonly dual: DualPalette;
  readonly strain: StrainArrays;
  readonly paint: PaintWorkspace;
  readonly footprint: FootprintWorkspace;
  /** Float32Array, pointCount: the chosen joint's weight, as drawn. */
  readonly jointWeights: Float32Array;
  /** Uint8Array, pointCount: 1 where the chosen joint's weight strays, as last found. */
  readonly strays: Uint8Array;
  readonly tree: SerializedBVH;
  /** Of a layer of a drawing: of each point the anchor that it is the handle of; itself for an anchor. */
  readonly anchors: Uint32Array | undefined;
  /** Of a layer of a drawing: what it is filled with. */
  readonly fill: LayerFill | undefined;
  visible: boolean;
  /** 1 for points of pieces that are hidden, and those that were taken out of a drawing; undefined where none is. */
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

/** Room for a part in the kernels' memory; `room` is for joints. */
export const layPart = (
  memory: KernelMemory,
  { positions, pointCount }: Pick<CharacterPart, 'positions' | 'pointCount'>,
  stride: number,
  room: number,
  neighbourCount: number,
) => ({
  skin: laySkin(memory, pointCount, stride, room),
  dual: createDualPalette(room, memory),
  neighbours: { offsets: memory.u32(pointCount + 1), points: memory.u32(neighbourCount) },
  edges: memory.u32(neighbourCount),
  lengths: memory.f32(neighbourCount / 2),
  strains: memory.f32(neighbourCount / 2),
  pointStrains: memory.f32(positions.length / 3),
  column: memory.f32(pointCount),
});

export function createScenePart(
  memory: KernelMemory,
  read: Pick<ReadResult, 'neighbours' | 'trees'>,
  index: number,
  rows: WeightRows,
  bound: BoundCharacter,
): ScenePart {
  const part = bound.character.parts[index];
  const { drawing } = bound.character;
  const found = read.neighbours[index];
  const laid = layPart(memory, part, rows.stride, bound.jointCapacity, found.points.length);
  const { skin, neighbours, edges, lengths, strains, pointStrains } = laid;
  skin.rest.set(part.positions);
  skin.restNormals.set(part.normals);
  skin.rows.joints.set(rows.joints);
  skin.rows.values.set(rows.values);
  neighbours.offsets.set(found.offsets);
  neighbours.points.set(found.points);
  return {
    index,
    // What binds it, and whether it has weights, may change.
    get part() {
      return bound.character.parts[index];
    },
    skin,
    dual: laid.dual,
    strain: { edges, lengths, strains, points: pointStrains, ready: false },
    paint: createPaintWorkspace(memory, part.pointCount, rows.stride, neighbours),
    footprint: createFootprintWorkspace(part.pointCount),
    jointWeights: laid.column,
    strays: new Uint8Array(part.pointCount),
    tree: read.trees[index],
    anchors: drawing && anchorsOfPoints(drawing.layers[index], part.vertexPoint, part.pointCount),
    fill: drawing && new LayerFill(drawing, index, part),
    visible: part.role !== 'cage',
  };
}
