import {
  type BendSubject,
  createMeterPart,
  extentOf,
  layMeter,
  layScratch,
  fillsOf,
  type MeterFill,
  type MeterPart,
  type Scratch,
} from './meterParts.ts';
import { type BendFigures, type BendPlace, edgeDamage, FigureSum, foldDamage } from './bendFigures.ts';
import { countBytes } from '../../memory/countBytes.ts';
import type { Deformer, Skinning } from '../../deform/deformer.ts';
import type { CharacterLook } from '../../deform/PartLook.ts';
import { buildPalette, poseWorld, type Pose } from '../../skeleton/pose.ts';
import { subtreeOf, type Skeleton } from '../../skeleton/skeleton.ts';
import type { WeightRows } from '../../weights/rows.ts';
import { type BendMesh, type BendRegion, findBendRegion, volumeOf } from './bendRegion.ts';
import { FaceCells, piercingEdges } from '../../spatial/piercing.ts';
import { layMeterLook, MeterLook } from './MeterLook.ts';
import { strainKernels } from './strainKernels.ts';
import type { KernelMemory } from '../../memory/kernelMemory.ts';
import { createKernelMemory } from '../../memory/wasmMemory.ts';

const NO_SKINNING = (): void => undefined;
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
  readonly #nearest = new Map<number, Uint32Array>();
  readonly #restCrossings = new Map<BendRegion, ReadonlySet<number>>();
  readonly #look: MeterLook;
  #deformer: Deformer;

  /** @param look of the surface; what drawings are filled with is never relaxed */
  static async create(subject: BendSubject, look: Skinning | CharacterLook = 'linear'): Promise<BendMeter> {
    const wanted = typeof look === 'string' ? { skinning: look } : look;
    const fills = fillsOf(subject);
    const { parts, rows, skeleton } = subject;
    const jointCount = skeleton.joints.length;
    const lay = (memory: KernelMemory): unknown => [
      layMeter(memory, subject, fills),
      layMeterLook(memory, wanted, jointCount),
    ];
    const memory = await createKernelMemory(countBytes(lay));
    const laid = parts.flatMap((part, index) =>
      part.role === 'skinned'
        ? [createMeterPart(memory, part, index, rows[index], skeleton, fills[index])]
        : [],
    );
    const meterLook = await MeterLook.create(memory, laid, wanted, jointCount);
    return new BendMeter(skeleton, laid, memory, meterLook, wanted.skinning);
  }

  private constructor(
    skeleton: Skeleton,
    parts: readonly MeterPart[],
    memory: KernelMemory,
    look: MeterLook,
    skinning: Skinning,
  ) {
    this.skeleton = skeleton;
    this.#look = look;
    this.#deformer = look.deformerOf(skinning);
    this.#memory = memory;
    this.#world = new Float32Array(skeleton.joints.length * 16);
    this.#parts = parts;
    const most = (of: (mesh: BendMesh) => number): number =>
      this.#parts.reduce((sum, { mesh }) => Math.max(sum, of(mesh)), 0);
    const [edges, faces, points] = [
      most(({ lengths }) => lengths.length),
      most(({ areas }) => areas.length),
      this.#parts.reduce((sum, { skin }) => Math.max(sum, skin.rows.pointCount), 0),
    ];
    this.#scratch = layScratch(memory, edges, faces, points);
    this.#size = extentOf(this.#parts.map(({ mesh }) => mesh.restPositions));
  }

  get skinning(): Skinning {
    return this.#deformer.skinning;
  }

  set skinning(skinning: Skinning) {
    if (skinning !== this.skinning) this.#deformer = this.#look.deformerOf(skinning);
  }

  /** Other weights, of the same parts. */
  setRows(rows: readonly WeightRows[]): void {
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
    const regions = this.#parts.flatMap((part) => {
      const { index, mesh, fill } = part;
      const own = this.#look.sharesOf(part, moves);
      const shares = own && fill ? spread(fill, own) : own;
      const region = shares && findBendRegion(index, mesh, shares);
      return region ? [region] : [];
    });
    this.#regions.set(joint, regions);
    return regions;
  }

  pointCount(part: number): number {
    return this.#part(part).skin.rows.pointCount;
  }

  /** The points of what deforms when a joint turns: of a layer those that lie nearest to the places of its fill. */
  pointsOf(joint: number): readonly { readonly part: number; readonly points: Uint32Array }[] {
    return this.regionsOf(joint).map(({ part, points }) => {
      const nearest = this.#nearestPoints(part);
      if (!nearest) return { part, points };
      return {
        part,
        points: Uint32Array.from(new Set(Array.from(points, (place) => nearest[place]))).sort(),
      };
    });
  }

  /** Of a layer of a drawing: the point that lies nearest to each place of its fill, at rest. */
  #nearestPoints(index: number): Uint32Array | undefined {
    const { fill, skin, mesh } = this.#part(index);
    if (!fill) return undefined;
    let nearest = this.#nearest.get(index);
    if (!nearest) this.#nearest.set(index, (nearest = nearestPoints(mesh.restPositions, skin.rest)));
    return nearest;
  }

  /** Whether a joint's turn deforms anything. */
  bends(joint: number): boolean {
    return this.regionsOf(joint).length > 0;
  }

  /**
   * The figures of a joint's bend in a pose; undefined for a joint that deforms nothing. Crossings, which take longest and say
   * nothing of the damage, are counted only if wanted.
   */
  measure(joint: number, pose: Pose, withCrossings = true): BendFigures | undefined {
    const regions = this.regionsOf(joint);
    if (regions.length === 0) return undefined;
    this.#pose(
      pose,
      regions.map(({ part }) => this.#part(part)),
    );
    return this.#figures(regions, (region) => this.#skinRegion(region), withCrossings);
  }

  /**
   * The figures of several joints' bends in one pose: all of the surface is skinned once. Crossings, which take longest
   * and say nothing of the damage, are counted only if wanted.
   */
  measureAll(joints: readonly number[], pose: Pose, withCrossings = false): Map<number, BendFigures> {
    this.#pose(pose, this.#parts);
    for (const part of this.#parts) this.#skinAll(part);
    const found = new Map<number, BendFigures>();
    for (const joint of joints) {
      const regions = this.regionsOf(joint);
      if (regions.length > 0) found.set(joint, this.#figures(regions, NO_SKINNING, withCrossings));
    }
    return found;
  }

  #pose(pose: Pose, parts: readonly MeterPart[]): void {
    poseWorld(this.skeleton, pose, this.#world);
    for (const { skin, inverseBinds, dual } of parts) {
      buildPalette(this.#world, inverseBinds, skin.palette);
      this.#deformer.prepare(skin.palette, dual);
    }
  }

  #skinAll({ skin, dual, fill }: MeterPart): void {
    this.#deformer.skinRange(skin, dual, 0, skin.rows.pointCount);
    fill?.mesh.place(skin.positions, fill.places);
  }

  #skinRegion({ part, points }: BendRegion): void {
    const own = this.#part(part);
    const { skin, dual } = own;
    // Any place of a fill may follow any of the layer's points.
    if (own.fill) {
      this.#skinAll(own);
      return;
    }
    this.#scratch.points.set(points);
    const list = { points: this.#scratch.points, count: points.length };
    this.#deformer.skinList(skin, dual, list);
  }

  #part(index: number): MeterPart {
    return this.#parts.find((part) => part.index === index) as MeterPart;
  }

  /**
   * Where the damage of a joint's bend in a pose is: half of what an edge has to each end, a third of what a face has to each
   * corner, as squared lengths; of a fill it is told at the layer's nearest point.
   * @param sums by part: Float64Array, one a point; what is found is added
   */
  addDamage(joint: number, pose: Pose, sums: ReadonlyMap<number, Float64Array>): void {
    const regions = this.regionsOf(joint);
    this.#pose(
      pose,
      regions.map(({ part }) => this.#part(part)),
    );
    for (const region of regions) {
      const own = sums.get(region.part);
      if (!own) continue;
      this.#skinRegion(region);
      const { ratios } = this.#strain(region);
      const { edges, lengths, strains, triangles, areas } = this.#scratch;
      const nearest = this.#nearestPoints(region.part);
      const add = (place: number, damage: number): void => {
        own[nearest ? nearest[place] : place] += damage;
      };
      for (let i = 0; i < region.edges.length; i++) {
        const damage = edgeDamage(strains[i], lengths[i]) / 2;
        add(edges[i * 2], damage);
        add(edges[i * 2 + 1], damage);
      }
      for (let i = 0; i < region.faces.length; i++) {
        if (ratios[i] >= 0) continue;
        for (let k = i * 3; k < i * 3 + 3; k++) add(triangles[k], foldDamage(areas[i]) / 3);
      }
    }
  }

  #figures(
    regions: readonly BendRegion[],
    skin: (region: BendRegion) => void,
    withCrossings = true,
  ): BendFigures {
    const sum = new FigureSum(this.#size);
    for (const region of regions) {
      skin(region);
      const { areas, ratios, positions } = this.#strain(region);
      const part = this.#part(region.part);
      sum.addEdges(region, part.mesh, this.#scratch.strains);
      sum.addFaces(areas, ratios);
      sum.addVolume(region, volumeOf(part.mesh, region, positions));
      if (withCrossings && !part.fill) sum.crossings += this.#crossings(region, part);
    }
    const figures = sum.finish();
    const [worst, stretched] = [figures.worst, figures.stretched].map((place) => this.#asPoint(place));
    return { ...figures, worst, stretched };
  }

  /** Strains of a region's edges and faces as it is skinned, into the scratch. */
  #strain(region: BendRegion): { areas: Float32Array; ratios: Float32Array; positions: Float32Array } {
    this.#gather(region);
    const { skin, fill } = this.#part(region.part);
    const { edges, lengths, strains, triangles, ratios } = this.#scratch;
    const [positions, normals] = fill ? [fill.places, fill.normals] : [skin.positions, skin.normals];
    const areas = this.#scratch.areas.subarray(0, region.faces.length);
    const kernels = strainKernels(this.#memory);
    kernels.strainEdges(edges, lengths.subarray(0, region.edges.length), positions, strains);
    kernels.strainFaces(triangles, areas, positions, normals, ratios);
    return { areas, ratios, positions };
  }

  /** A place of a fill, as the point of the layer that is nearest to it at rest. */
  #asPoint(place: BendPlace | undefined): BendPlace | undefined {
    const nearest = place && this.#nearestPoints(place.part);
    return nearest ? { part: place.part, point: nearest[place.point] } : place;
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

function nearestPoints(places: Float32Array, points: Float32Array): Uint32Array {
  return Uint32Array.from({ length: places.length / 3 }, (_, place) => {
    const [x, y] = [places[place * 3], places[place * 3 + 1]];
    let [point, least] = [0, Infinity];
    for (let p = 0; p * 3 < points.length; p++) {
      const [dx, dy] = [points[p * 3] - x, points[p * 3 + 1] - y];
      const far = dx * dx + dy * dy;
      if (far < least) [point, least] = [p, far];
    }
    return point;
  });
}

/** How much of each place of a fill moves along; what has no weight stays. */
function spread({ mesh }: MeterFill, shares: Float32Array): Float32Array {
  const out = new Float32Array(mesh.count);
  mesh.spread(
    shares.map((share) => (Number.isNaN(share) ? 0 : share)),
    out,
  );
  return out;
}

function piercings({ nearEdges, nearFaces }: BendRegion, mesh: BendMesh, positions: Float32Array): number[] {
  const cells = new FaceCells(positions, mesh.triangles, nearFaces);
  return piercingEdges(positions, mesh.edges, nearEdges, cells, positions, mesh.triangles, true);
}
