import { createDualPalette, type DualPalette } from '../../deform/skinDual.ts';
import { laySkin, type SkinArrays } from '../../deform/skin.ts';
import type { Character, CharacterPart } from '../../document/character.ts';
import { usualMesh, type LayerMesh } from '../../drawing/layerMesh.ts';
import type { Skeleton } from '../../skeleton/skeleton.ts';
import { findNeighbours } from '../../mesh/topology.ts';
import type { WeightRows } from '../../weights/rows.ts';
import { type BendMesh, createBendMesh } from './bendRegion.ts';
import { fillEdges, fillNeighbours } from './fillEdges.ts';
import { skinKernels } from '../../deform/skinKernels.ts';
import type { KernelMemory } from '../../memory/kernelMemory.ts';

/** What is measured: parts, joints and weights. */
export interface BendSubject extends Pick<Character, 'drawing'> {
  readonly parts: readonly Omit<CharacterPart, 'source'>[];
  readonly skeleton: Skeleton;
  readonly rows: readonly WeightRows[];
}

export interface MeterPart {
  readonly index: number;
  /** Over the points of a part; of a layer of a drawing over the places of its fill. */
  readonly mesh: BendMesh;
  readonly fill: MeterFill | undefined;
  readonly skin: SkinArrays;
  readonly inverseBinds: Float32Array;
  readonly dual: DualPalette;
}

/** What a layer of a drawing is filled with: the figures are those of what is seen, whatever its points are. */
export interface MeterFill {
  readonly mesh: LayerMesh;
  /** Float32Array, 3 a place, in the kernels' memory: in the pose. */
  readonly places: Float32Array;
  readonly normals: Float32Array;
}

export interface Scratch {
  readonly edges: Uint32Array;
  readonly lengths: Float32Array;
  readonly strains: Float32Array;
  readonly triangles: Uint32Array;
  readonly areas: Float32Array;
  readonly ratios: Float32Array;
  readonly points: Uint32Array;
}

/** @param fill of a layer of a drawing: what it is drawn with */
export function createMeterPart(
  memory: KernelMemory,
  part: BendSubject['parts'][number],
  index: number,
  rows: WeightRows,
  { joints }: Skeleton,
  fill?: LayerMesh,
): MeterPart {
  const { positions, normals, pointCount, inverseBinds, triangles, polygonOffsets, polygonPoints } = part;
  const skin = laySkin(memory, pointCount, rows.stride, joints.length);
  skin.rest.set(positions);
  skin.restNormals.set(normals);
  skin.rows.joints.set(rows.joints);
  skin.rows.values.set(rows.values);
  // At rest every joint does what the part's own place does.
  const place = inverseBinds.subarray(inverseBinds.length - 16);
  for (let j = 0; j <= joints.length; j++) skin.palette.set(place, j * 16);
  skinKernels(memory).skinRange(skin, 0, pointCount);
  const dual = createDualPalette(joints.length, memory);
  if (fill) return { index, skin, inverseBinds, dual, ...filled(memory, fill, skin.positions) };
  const neighbours = findNeighbours({ offsets: polygonOffsets, points: polygonPoints }, pointCount);
  const mesh = createBendMesh(triangles, neighbours, skin.positions.slice(), skin.normals.slice());
  return { index, mesh, skin, inverseBinds, dual, fill: undefined };
}

function filled(
  memory: KernelMemory,
  mesh: LayerMesh,
  points: Float32Array,
): Pick<MeterPart, 'mesh' | 'fill'> {
  const { triangles, count } = mesh;
  const fill = { mesh, places: memory.f32(count * 3), normals: memory.f32(count * 3) };
  mesh.place(points, fill.places);
  for (let k = 2; k < fill.normals.length; k += 3) fill.normals[k] = 1;
  const neighbours = fillNeighbours(mesh);
  const laid = createBendMesh(triangles, neighbours, fill.places.slice(), fill.normals);
  return { fill, mesh: { ...laid, ...fillEdges(neighbours, laid.restPositions) } };
}

/** By part, what the layers of a drawing are filled with; nothing for a body. */
export const fillsOf = ({ drawing, parts }: BendSubject): (LayerMesh | undefined)[] =>
  parts.map((part, i) => drawing && usualMesh(drawing, i, part));

export const layScratch = (memory: KernelMemory, edges: number, faces: number, points: number): Scratch => ({
  edges: memory.u32(edges * 2),
  lengths: memory.f32(edges),
  strains: memory.f32(edges),
  triangles: memory.u32(faces * 3),
  areas: memory.f32(faces),
  ratios: memory.f32(faces),
  points: memory.u32(points),
});

/** Room for all of it in the kernels' memory: the parts' copies, and scratch for the largest of them. */
export function layMeter(
  memory: KernelMemory,
  { parts, skeleton, rows }: BendSubject,
  fills: readonly (LayerMesh | undefined)[],
): unknown {
  const skinned = parts.flatMap(({ role, pointCount, triangles }, i) =>
    role === 'skinned'
      ? [
          {
            pointCount,
            places: fills[i]?.count ?? 0,
            faces: (fills[i]?.triangles ?? triangles).length / 3,
            stride: rows[i].stride,
          },
        ]
      : [],
  );
  const jointCount = skeleton.joints.length;
  const faces = skinned.reduce((most, part) => Math.max(most, part.faces), 0);
  const points = skinned.reduce((most, part) => Math.max(most, part.pointCount), 0);
  return [
    skinned.map(({ pointCount, places, stride }) => [
      laySkin(memory, pointCount, stride, jointCount),
      createDualPalette(jointCount, memory),
      memory.f32(places * 3),
      memory.f32(places * 3),
    ]),
    // A face has three edges of its own at most.
    layScratch(memory, 3 * faces, faces, points),
  ];
}

export function extentOf(clouds: readonly Float32Array[]): number {
  const spans = [0, 1, 2].map((k) => {
    let [least, most] = [Infinity, -Infinity];
    for (const cloud of clouds) {
      for (let i = k; i < cloud.length; i += 3) {
        if (cloud[i] < least) least = cloud[i];
        if (cloud[i] > most) most = cloud[i];
      }
    }
    return most - least;
  });
  return Math.hypot(...spans) || 1;
}
