import { countBytes } from '../../memory/countBytes.ts';
import { type Deformer, deformerOf, type Skinning } from '../../deform/deformer.ts';
import { createDualPalette, type DualPalette } from '../../deform/skinDual.ts';
import { laySkin, type SkinArrays } from '../../deform/skin.ts';
import type { CharacterPart } from '../../document/character.ts';
import { buildPalette, poseWorld, type Pose } from '../../skeleton/pose.ts';
import { subtreeOf, type Skeleton } from '../../skeleton/skeleton.ts';
import { findNeighbours } from '../../mesh/topology.ts';
import type { WeightRows } from '../../weights/rows.ts';
import {
  createBendMesh,
  findBendRegion,
  volumeOf,
  type BendMesh,
  type BendRegion,
  type NoVolume,
} from './bendRegion.ts';
import { FaceCells, piercingEdges } from '../../spatial/piercing.ts';
import { skinKernels } from '../../deform/skinKernels.ts';
import { strainKernels } from './strainKernels.ts';
import type { KernelMemory } from '../../memory/kernelMemory.ts';
import { createKernelMemory } from '../../memory/wasmMemory.ts';

/** How the surface follows: matrices blended, or turns (dual quaternions). */

/** What is measured: parts, joints and weights. */
export interface BendSubject {
  readonly parts: readonly Omit<CharacterPart, 'source'>[];
  readonly skeleton: Skeleton;
  readonly rows: readonly WeightRows[];
  /** By part, points whose edges do not count: strays, which are told of on their own. */
  readonly leaveOut?: ReadonlyMap<number, Uint32Array>;
}

/** How one joint's bend looks in one pose. Strains as in strain.ts: 1 is double, −1 half. */
export interface BendFigures {
  /** The greatest stretch and the greatest squeeze (0 or below) of an edge. */
  readonly stretch: number;
  readonly squeeze: number;
  /** Least and greatest area of a face, in its rest areas, without its side. */
  readonly areaLeast: number;
  readonly areaMost: number;
  /** Faces that look the wrong way. */
  readonly folded: number;
  /** Volume gained, as a share of the region's at rest; negative where lost; undefined where it has none. */
  readonly volume: number | undefined;
  readonly noVolume: NoVolume | undefined;
  /** Edges that run through the same part's surface, and do not at rest. */
  readonly crossings: number;
  /** How bad all of it is: strain squared over the surface, in percent of the character's size squared. */
  readonly damage: number;
  /** Where it is worst. */
  readonly worst: { readonly part: number; readonly point: number } | undefined;
}

interface MeterPart {
  readonly index: number;
  readonly mesh: BendMesh;
  readonly skin: SkinArrays;
  readonly inverseBinds: Float32Array;
  readonly dual: DualPalette;
}

interface Scratch {
  readonly edges: Uint32Array;
  readonly lengths: Float32Array;
  readonly strains: Float32Array;
  readonly triangles: Uint32Array;
  readonly areas: Float32Array;
  readonly ratios: Float32Array;
  readonly points: Uint32Array;
}

const NO_SKINNING = (): void => undefined;
/** A strain beyond this counts no more toward damage. */
const MAX_STRAIN = 3;
/** A folded face counts as its area squeezed and stretched by this. */
const FOLD_STRAIN = 2;
const MAX_CROSSING_FACES = 12_000;

/**
 * Measures bends: poses the skeleton, skins what deforms, and compares it with rest. Holds its own copy of the weights,
 * and kernels' memory of its own.
 */
export class BendMeter {
  readonly skeleton: Skeleton;
  readonly #memory: KernelMemory;
  readonly #parts: readonly MeterPart[];
  readonly #scratch: Scratch;
  readonly #world: Float32Array;
  readonly #size: number;
  readonly #regions = new Map<number, readonly BendRegion[]>();
  readonly #restCrossings = new Map<BendRegion, ReadonlySet<number>>();
  #leaveOut: ReadonlyMap<number, Uint8Array>;
  #deformer: Deformer;

  static async create(subject: BendSubject, skinning: Skinning = 'linear'): Promise<BendMeter> {
    return new BendMeter(
      subject,
      await createKernelMemory(countBytes((memory) => layMeter(memory, subject))),
      skinning,
    );
  }

  private constructor(
    { parts, skeleton, rows, leaveOut }: BendSubject,
    memory: KernelMemory,
    skinning: Skinning,
  ) {
    this.skeleton = skeleton;
    this.#deformer = deformerOf(skinning, memory);
    this.#leaveOut = masksOf(parts, leaveOut);
    this.#memory = memory;
    this.#world = new Float32Array(skeleton.joints.length * 16);
    this.#parts = parts.flatMap((part, index) =>
      part.role === 'skinned' ? [createMeterPart(memory, part, index, rows[index], skeleton)] : [],
    );
    const most = (of: (mesh: BendMesh) => number): number =>
      this.#parts.reduce((sum, { mesh }) => Math.max(sum, of(mesh)), 0);
    const [edges, faces, points] = [
      most(({ lengths }) => lengths.length),
      most(({ areas }) => areas.length),
      most(({ pointCount }) => pointCount),
    ];
    this.#scratch = layScratch(memory, edges, faces, points);
    this.#size = extentOf(this.#parts.map(({ mesh }) => mesh.restPositions));
  }

  get skinning(): Skinning {
    return this.#deformer.skinning;
  }

  set skinning(skinning: Skinning) {
    if (skinning !== this.skinning) this.#deformer = deformerOf(skinning, this.#memory);
  }

  /** Other weights, of the same parts, and what does not count in them. */
  setRows(rows: readonly WeightRows[], leaveOut?: BendSubject['leaveOut']): void {
    this.#leaveOut = masksOf(
      rows.map(({ pointCount }) => ({ pointCount })),
      leaveOut,
    );
    for (const { index, skin } of this.#parts) {
      skin.rows.joints.set(rows[index].joints);
      skin.rows.values.set(rows[index].values);
    }
    this.#regions.clear();
    this.#restCrossings.clear();
  }

  /** What deforms when a joint turns, a region a part. */
  regionsOf(joint: number): readonly BendRegion[] {
    const known = this.#regions.get(joint);
    if (known) return known;
    const moves = new Uint8Array(this.skeleton.joints.length);
    for (const each of subtreeOf(this.skeleton, joint)) moves[each] = 1;
    const regions = this.#parts.flatMap(({ index, mesh, skin }) => {
      const region = findBendRegion(index, mesh, skin.rows, moves, this.#leaveOut.get(index));
      return region ? [region] : [];
    });
    this.#regions.set(joint, regions);
    return regions;
  }

  /** Whether a joint's turn deforms anything. */
  bends(joint: number): boolean {
    return this.regionsOf(joint).length > 0;
  }

  /** The figures of a joint's bend in a pose; undefined for a joint that deforms nothing. */
  measure(joint: number, pose: Pose): BendFigures | undefined {
    const regions = this.regionsOf(joint);
    if (regions.length === 0) return undefined;
    this.#pose(pose);
    return this.#figures(regions, (region) => this.#skinRegion(region));
  }

  /**
   * The figures of several joints' bends in one pose: all of the surface is skinned once. Crossings, which take longest
   * and say nothing of the damage, are counted only if wanted.
   */
  measureAll(joints: readonly number[], pose: Pose, withCrossings = false): Map<number, BendFigures> {
    this.#pose(pose);
    for (const part of this.#parts) this.#skinAll(part);
    const found = new Map<number, BendFigures>();
    for (const joint of joints) {
      const regions = this.regionsOf(joint);
      if (regions.length > 0) found.set(joint, this.#figures(regions, NO_SKINNING, withCrossings));
    }
    return found;
  }

  #pose(pose: Pose): void {
    poseWorld(this.skeleton, pose, this.#world);
    for (const { skin, inverseBinds, dual } of this.#parts) {
      buildPalette(this.#world, inverseBinds, skin.palette);
      this.#deformer.prepare(skin.palette, dual);
    }
  }

  #skinAll({ skin, mesh, dual }: MeterPart): void {
    this.#deformer.skinRange(skin, dual, 0, mesh.pointCount);
  }

  #skinRegion({ part, points }: BendRegion): void {
    const { skin, dual } = this.#part(part);
    this.#scratch.points.set(points);
    const list = { points: this.#scratch.points, count: points.length };
    this.#deformer.skinList(skin, dual, list);
  }

  #part(index: number): MeterPart {
    return this.#parts.find((part) => part.index === index) as MeterPart;
  }

  #figures(
    regions: readonly BendRegion[],
    skin: (region: BendRegion) => void,
    withCrossings = true,
  ): BendFigures {
    const sum = new FigureSum();
    for (const region of regions) {
      skin(region);
      this.#gather(region);
      const part = this.#part(region.part);
      const { edges, lengths, strains, triangles, areas, ratios } = this.#scratch;
      const [edgeCount, faceCount] = [region.edges.length, region.faces.length];
      const { positions, normals } = part.skin;
      strainKernels(this.#memory).strainEdges(edges, lengths.subarray(0, edgeCount), positions, strains);
      strainKernels(this.#memory).strainFaces(
        triangles,
        areas.subarray(0, faceCount),
        positions,
        normals,
        ratios,
      );
      sum.addEdges(region, part.mesh, strains);
      sum.addFaces(areas.subarray(0, faceCount), ratios);
      sum.addVolume(region, volumeOf(part.mesh, region, positions));
      if (withCrossings) sum.crossings += this.#crossings(region, part);
    }
    return sum.finish(this.#size);
  }

  /** Lays a region's edges and faces side by side for the memory. */
  #gather({ part, edges, faces }: BendRegion): void {
    const { mesh } = this.#part(part);
    const to = this.#scratch;
    for (let i = 0; i < edges.length; i++) {
      const e = edges[i];
      to.edges[i * 2] = mesh.edges[e * 2];
      to.edges[i * 2 + 1] = mesh.edges[e * 2 + 1];
      to.lengths[i] = mesh.lengths[e];
    }
    for (let i = 0; i < faces.length; i++) {
      const t = faces[i];
      to.triangles[i * 3] = mesh.triangles[t * 3];
      to.triangles[i * 3 + 1] = mesh.triangles[t * 3 + 1];
      to.triangles[i * 3 + 2] = mesh.triangles[t * 3 + 2];
      to.areas[i] = mesh.areas[t];
    }
  }

  #crossings(region: BendRegion, { mesh, skin }: MeterPart): number {
    if (region.nearFaces.length > MAX_CROSSING_FACES) return 0;
    const found = piercings(region, mesh, skin.positions);
    if (found.length === 0) return 0;
    let atRest = this.#restCrossings.get(region);
    if (!atRest) {
      atRest = new Set(piercings(region, mesh, mesh.restPositions));
      this.#restCrossings.set(region, atRest);
    }
    return found.filter((edge) => !atRest.has(edge)).length;
  }
}

function piercings({ nearEdges, nearFaces }: BendRegion, mesh: BendMesh, positions: Float32Array): number[] {
  const cells = new FaceCells(positions, mesh.triangles, nearFaces);
  return piercingEdges(positions, mesh.edges, nearEdges, cells, positions, mesh.triangles, true);
}

class FigureSum {
  crossings = 0;
  #stretch = 0;
  #squeeze = 0;
  #least = 1;
  #most = 1;
  #folded = 0;
  #damage = 0;
  #worst: BendFigures['worst'];
  #worstEdge = 0;
  #rest = 0;
  #now = 0;
  #noVolume: NoVolume | undefined;
  #closed = false;

  addEdges({ part, edges }: BendRegion, mesh: BendMesh, strains: Float32Array): void {
    for (let i = 0; i < edges.length; i++) {
      const strain = strains[i];
      const length = mesh.lengths[edges[i]];
      if (strain > this.#stretch) this.#stretch = strain;
      if (strain < this.#squeeze) this.#squeeze = strain;
      const size = Math.min(MAX_STRAIN, Math.abs(strain));
      const damage = size * size * length * length;
      this.#damage += damage;
      if (damage <= this.#worstEdge) continue;
      this.#worstEdge = damage;
      this.#worst = { part, point: mesh.edges[edges[i] * 2] };
    }
  }

  addFaces(areas: Float32Array, ratios: Float32Array): void {
    for (let i = 0; i < areas.length; i++) {
      const ratio = Math.abs(ratios[i]);
      if (ratio < this.#least) this.#least = ratio;
      if (ratio > this.#most) this.#most = ratio;
      if (ratios[i] >= 0) continue;
      this.#folded++;
      this.#damage += (Math.abs(areas[i]) / 2) * FOLD_STRAIN * FOLD_STRAIN;
    }
  }

  addVolume({ restVolume, noVolume }: BendRegion, now: number): void {
    if (noVolume) {
      this.#noVolume ??= noVolume;
      return;
    }
    this.#closed = true;
    this.#rest += restVolume;
    this.#now += now;
  }

  finish(size: number): BendFigures {
    const volume = this.#closed && this.#rest !== 0 ? this.#now / this.#rest - 1 : undefined;
    return {
      stretch: this.#stretch,
      squeeze: this.#squeeze,
      areaLeast: this.#least,
      areaMost: this.#most,
      folded: this.#folded,
      volume,
      noVolume: volume === undefined ? (this.#noVolume ?? 'flat') : undefined,
      crossings: this.crossings,
      damage: (100 * this.#damage) / (size * size),
      worst: this.#worst,
    };
  }
}

function masksOf(
  parts: readonly { readonly pointCount: number }[],
  points: BendSubject['leaveOut'] = new Map(),
): Map<number, Uint8Array> {
  return new Map(
    [...points].map(([part, list]) => {
      const mask = new Uint8Array(parts[part].pointCount);
      for (const p of list) mask[p] = 1;
      return [part, mask];
    }),
  );
}

function createMeterPart(
  memory: KernelMemory,
  part: BendSubject['parts'][number],
  index: number,
  rows: WeightRows,
  { joints }: Skeleton,
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
  const neighbours = findNeighbours({ offsets: polygonOffsets, points: polygonPoints }, pointCount);
  const mesh = createBendMesh(triangles, neighbours, skin.positions.slice(), skin.normals.slice());
  return { index, mesh, skin, inverseBinds, dual: createDualPalette(joints.length, memory) };
}

const layScratch = (memory: KernelMemory, edges: number, faces: number, points: number): Scratch => ({
  edges: memory.u32(edges * 2),
  lengths: memory.f32(edges),
  strains: memory.f32(edges),
  triangles: memory.u32(faces * 3),
  areas: memory.f32(faces),
  ratios: memory.f32(faces),
  points: memory.u32(points),
});

/** Room for all of it in the kernels' memory: the parts' copies, and scratch for the largest of them. */
function layMeter(memory: KernelMemory, { parts, skeleton, rows }: BendSubject): unknown {
  const skinned = parts.flatMap(({ role, pointCount, triangles }, i) =>
    role === 'skinned' ? [{ pointCount, faces: triangles.length / 3, stride: rows[i].stride }] : [],
  );
  const jointCount = skeleton.joints.length;
  const faces = skinned.reduce((most, part) => Math.max(most, part.faces), 0);
  const points = skinned.reduce((most, part) => Math.max(most, part.pointCount), 0);
  return [
    skinned.map(({ pointCount, stride }) => [
      laySkin(memory, pointCount, stride, jointCount),
      createDualPalette(jointCount, memory),
    ]),
    // A face has three edges of its own at most.
    layScratch(memory, 3 * faces, faces, points),
  ];
}

function extentOf(clouds: readonly Float32Array[]): number {
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
