import { type Axis, childrenOf, type Pose, REST_JOINT, turned } from '@judoka/core/skeleton';
import { createDualPalette, type Deformer, type DualPalette, type SkinArrays } from '@judoka/core/deform';
import { boxAround, type Character, longestSide } from '@judoka/core/document';
import type { OpenDocument } from '../document/OpenDocument.ts';
import type { ScenePart } from './ScenePart.ts';
import { shownParts } from './shownParts.ts';
import { stripFigures, type StripFigures } from './stripFigures.ts';
import { strainKernels } from '@judoka/core/analysis/bends';
import { copyRow, createRows, type Change, type Delta, type WeightRows } from '@judoka/core/weights';
import type { KernelMemory } from '@judoka/core/memory';

/** What the strip is a picture of. */
export interface StripSubject {
  readonly document: Pick<OpenDocument, 'memory' | 'bound' | 'skeleton'>;
  readonly parts: readonly ScenePart[];
  readonly joint: number;
  readonly deformer: Deformer;
  readonly world: Float32Array;
  preparePart(part: ScenePart, world: Float32Array): void;
}

/** Steps of the strip's pictures when it bends the joint about one axis. */
export const STRIP_STEPS = [-2, -1, 0, 1, 2] as const;
export const MAX_PICTURES = 8;

/** One picture of the strip. */
export interface StripPicture {
  readonly label: string;
  readonly pose: Pose;
  /** Other weights than those on the stage: what leads there from them. */
  readonly weights?: Change;
}

/** Points of the strip's region over all parts; where there are more, some stand for their neighbours. */
const MAX_POINTS = 10000;
const MAX_EDGES = 4 * MAX_POINTS;

/** Room for the strip in the kernels' memory; `room` is for joints. */
export function layStrip(memory: KernelMemory, room: number, partCount: number) {
  const each = <T>(make: () => T): T[] => Array.from({ length: MAX_PICTURES }, make);
  return {
    positions: each(() => memory.f32(MAX_POINTS * 3)),
    normals: each(() => memory.f32(MAX_POINTS * 3)),
    pointStrains: each(() => memory.f32(MAX_POINTS)),
    points: memory.u32(MAX_POINTS),
    slots: memory.u32(MAX_POINTS),
    list: memory.u32(MAX_POINTS),
    palettes: Array.from({ length: partCount }, () => each(() => memory.f32((room + 1) * 16))),
    duals: Array.from({ length: partCount }, () => each(() => createDualPalette(room, memory))),
    edges: memory.u32(MAX_EDGES * 2),
    lengths: memory.f32(MAX_EDGES),
    strains: memory.f32(MAX_EDGES),
  };
}

/** Rows of a region that are others in a picture. */
interface OtherRows {
  readonly region: Region;
  readonly delta: Delta;
  /** Places in the delta of the points that are in the region. */
  readonly at: Uint32Array;
  /** Room for the rows on the stage, as many. */
  readonly stage: WeightRows;
}

/** The points of one part in the region, and where they lie in the strip's packed arrays. */
interface Region {
  readonly part: ScenePart;
  /** part point → slot, of the point itself or of the one that stands for it; -1 outside. */
  readonly slotOf: Int32Array;
  readonly from: number;
  readonly count: number;
}

const isDrawnWhole = ({ drawing }: Character, shown: readonly ScenePart[]): boolean =>
  drawing !== undefined && shown.reduce((sum, { part }) => sum + part.pointCount, 0) <= MAX_POINTS;

/**
 * The chosen joint in several poses at once: only the surface around it, skinned by the same memory as the stage, and
 * kept up to date dab by dab.
 */
export class BendStrip {
  readonly #subject: StripSubject;
  axis: Axis = 'x';
  step = 35;
  pictures: readonly StripPicture[] = [];
  #byAxis = true;
  /** Rises whenever the region or the poses changed, so that the scene rebuilds its geometry. */
  version = 0;
  /** Whether the region is all there is: the layers of a drawing are drawn whole. */
  isWhole = false;
  /** Points in the region. */
  count = 0;
  /** Uint32Array, 3·triangleCount, slots. */
  triangles = new Uint32Array(0);
  /** Where the pictures look: joint at rest, and half their height, in scene units. */
  centre: [number, number, number] = [0, 0, 0];
  reach = 1;
  /** How far the surface is taken along, as a share of `reach`: past the corners of a picture. */
  static readonly margin = 1.65;
  readonly positions: Float32Array[];
  readonly normals: Float32Array[];
  /** A strain a point and picture; see {@link figures}. */
  readonly strains: Float32Array[];
  /** By slot: the point and its part, to carry weights over. */
  readonly #points: Uint32Array;
  readonly #slots: Uint32Array;
  readonly #list: Uint32Array;
  readonly #palettes: Float32Array[][];
  readonly #duals: DualPalette[][];
  readonly #edges: Uint32Array;
  readonly #lengths: Float32Array;
  readonly #strains: Float32Array;
  #edgeCount = 0;
  #figures: readonly StripFigures[] | undefined;
  #regions: Region[] = [];
  /** By picture: the rows of its own weights. */
  #otherRows: (readonly OtherRows[])[] = [];

  constructor(subject: StripSubject) {
    this.#subject = subject;
    const { document, parts } = subject;
    const laid = layStrip(document.memory, document.bound.jointCapacity, parts.length);
    this.positions = laid.positions;
    this.normals = laid.normals;
    this.strains = laid.pointStrains;
    this.#points = laid.points;
    this.#slots = laid.slots;
    this.#list = laid.list;
    this.#palettes = laid.palettes;
    this.#duals = laid.duals;
    this.#edges = laid.edges;
    this.#lengths = laid.lengths;
    this.#strains = laid.strains;
    this.pictures = this.#turns();
  }

  /** The joint's pose in a picture: turned from rest. */
  jointPose(index: number) {
    return turned(REST_JOINT, this.axis, STRIP_STEPS[index] * this.step);
  }

  /** Bends the joint about one of its axes, in even steps. */
  setBend(axis: Axis, step: number): void {
    this.axis = axis;
    this.step = step;
    this.setPictures(this.#turns());
    this.#byAxis = true;
  }

  #turns(): StripPicture[] {
    const { joint } = this.#subject;
    return STRIP_STEPS.map((by, i) => ({
      label: `${by * this.step}°`,
      pose: joint < 0 ? {} : { [joint]: this.jointPose(i) },
    }));
  }

  /** Shows poses, eight at most. */
  setPictures(pictures: readonly StripPicture[]): void {
    this.#byAxis = false;
    this.pictures = pictures.slice(0, MAX_PICTURES);
    this.#pose();
  }

  /** How strained each picture is; measured when asked for after a change. */
  figures(): readonly StripFigures[] {
    this.#figures ??= this.pictures.map((_, i) => this.#measure(i));
    return this.#figures;
  }

  #measure(picture: number): StripFigures {
    if (this.isWhole) return this.#measureFills(picture);
    const { memory } = this.#subject.document;
    const lengths = this.#lengths.subarray(0, this.#edgeCount);
    const strains = this.#strains.subarray(0, this.#edgeCount);
    strainKernels(memory).strainEdges(this.#edges, lengths, this.positions[picture], strains);
    this.strains[picture].fill(0);
    strainKernels(memory).strainPoints(this.#edges, strains, this.strains[picture]);
    return stripFigures([{ strains, lengths }], this.reach);
  }

  /** Of a drawing: how strained what its layers are filled with is. */
  #measureFills(picture: number): StripFigures {
    const fills = this.#regions.flatMap(({ part: { fill }, from, count }) => {
      if (!fill) return [];
      const places = new Float32Array(fill.mesh.count * 3);
      fill.mesh.place(this.positions[picture].subarray(from * 3, (from + count) * 3), places);
      return [fill.strain(places, new Float32Array(fill.mesh.count))];
    });
    return stripFigures(fills, this.reach);
  }

  /** Chooses the region anew: for another joint, or when parts are shown or hidden. */
  rebuild(): void {
    const { joint } = this.#subject;
    const { skeleton } = this.#subject.document;
    this.#regions = [];
    this.count = 0;
    this.#edgeCount = 0;
    if (this.#byAxis) this.pictures = this.#turns();
    if (joint >= 0 && skeleton.joints.length > 0) this.#chooseRegion(joint);
    this.#pose();
  }

  /** Deforms its pictures anew: points lie elsewhere at rest. */
  repose(): void {
    this.#pose();
  }

  /** Where the slots of a part lie, with its points: for the scene to carry weights over. */
  forEachRegion(visit: (part: ScenePart, points: Uint32Array, from: number) => void): void {
    for (const { part, from, count } of this.#regions)
      visit(part, this.#points.subarray(from, from + count), from);
  }

  /** Palettes of its pictures for a part; none where it shows nothing. */
  palettesOf({ index }: ScenePart): readonly Float32Array[] {
    return this.count === 0 ? [] : this.pictures.map((_, i) => this.#palettes[index][i]);
  }

  /** Skins points anew that a dab has touched, in all pictures. */
  follow(part: ScenePart, points: Uint32Array, count: number): void {
    const region = this.#regions.find((each) => each.part === part);
    if (!region) return;
    let met = 0;
    for (let i = 0; i < count; i++) {
      const slot = region.slotOf[points[i]];
      if (slot < 0 || this.#points[slot] !== points[i]) continue;
      this.#list[met] = points[i];
      this.#slots[met++] = slot;
    }
    if (met === 0) return;
    this.#skin(region, { points: this.#list, count: met }, this.#slots);
    this.#figures = undefined;
  }

  #skin({ part }: Region, list: { points: Uint32Array; count: number }, slots: Uint32Array): void {
    this.pictures.forEach((_, i) => {
      const arrays: SkinArrays = {
        ...part.skin,
        palette: this.#palettes[part.index][i],
        positions: this.positions[i],
        normals: this.normals[i],
      };
      this.inPicture(i, () => {
        this.#subject.deformer.skinSlots(arrays, this.#duals[part.index][i], list, slots);
      });
    });
  }

  /** Does something while the region's rows are those of a picture. */
  inPicture(picture: number, work: () => void): void {
    const others = this.#otherRows.at(picture) ?? [];
    for (const other of others) putOtherRows(other);
    try {
      work();
    } finally {
      for (const other of others) putStageRows(other);
    }
  }

  #findOtherRows(): void {
    this.#otherRows = this.pictures.map(({ weights = [] }) =>
      weights.flatMap((delta) => {
        const region = this.#regions.find(({ part }) => part.index === delta.part);
        if (!region) return [];
        const at = Uint32Array.from(delta.points.keys()).filter((i) => region.slotOf[delta.points[i]] >= 0);
        return [{ region, delta, at, stage: createRows(at.length, region.part.skin.rows.stride) }];
      }),
    );
  }

  #pose(): void {
    const { joint, parts, deformer } = this.#subject;
    const { bound } = this.#subject.document;
    this.version++;
    this.#figures = undefined;
    this.#findOtherRows();
    if (joint < 0 || this.count === 0) return;
    const world = new Float32Array(bound.jointCapacity * 16);
    this.pictures.forEach(({ pose }, i) => {
      bound.pose(pose, world);
      for (const { index } of parts) {
        bound.palette(index, world, this.#palettes[index][i]);
        deformer.prepare(this.#palettes[index][i], this.#duals[index][i]);
      }
    });
    for (const region of this.#regions) {
      for (let k = 0; k < region.count; k++) {
        this.#list[k] = this.#points[region.from + k];
        this.#slots[k] = region.from + k;
      }
      this.#skin(region, { points: this.#list, count: region.count }, this.#slots);
    }
  }

  #chooseRegion(joint: number): void {
    const { parts } = this.#subject;
    const { bound, skeleton } = this.#subject.document;
    const world = new Float32Array(bound.jointCapacity * 16);
    bound.pose({}, world);
    const at = (j: number): [number, number, number] => [
      world[j * 16 + 12],
      world[j * 16 + 13],
      world[j * 16 + 14],
    ];
    this.centre = at(joint);
    const near = [skeleton.joints[joint].parent, ...childrenOf(skeleton)[joint]].filter((j) => j >= 0);
    const spans = near.map((j) => Math.hypot(...at(j).map((x, k) => x - this.centre[k])));
    const shown = shownParts(parts);
    const placed = shown.map((part) => restPlaces(part, this.#subject, world));
    const size = longestSide(boxAround(placed)) || 1;
    const around = 1.1 * farthestOfMost(shown, placed, this.centre);
    this.reach = Math.min(size * 0.6, Math.max(size * 0.04, 1.35 * Math.max(0, ...spans), around));
    this.isWhole = isDrawnWhole(bound.character, shown);
    const within = placed.map((places) =>
      this.isWhole
        ? Uint32Array.from({ length: places.length / 3 }, (_, p) => p)
        : pointsWithin(places, this.centre, this.reach * BendStrip.margin),
    );
    const count = within.reduce((sum, { length }) => sum + length, 0);
    const isCoarse = count > MAX_POINTS;
    if (isCoarse) this.#addCoarse(shown, placed, within, count);
    else shown.forEach((part, i) => this.#addRegion(part, within[i], within[i]));
    this.#collectTriangles();
    this.#collectEdges(isCoarse, (part) => placed[shown.indexOf(part)]);
  }

  /** Of a dense surface one point a cell stands for its neighbours: the picture is as good, and as quick as of a coarse one. */
  #addCoarse(
    shown: readonly ScenePart[],
    placed: readonly Float32Array[],
    within: readonly Uint32Array[],
    count: number,
  ): void {
    // On a surface a cell twice as large holds four times as many points.
    let cell = (2 * this.reach * BendStrip.margin) / Math.sqrt(count);
    let standing: Uint32Array[];
    do {
      cell *= 1.25;
      const size = cell;
      standing = shown.map((_, i) => standInCells(placed[i], within[i], size));
    } while (standing.reduce((sum, points, i) => sum + countSelf(points, within[i]), 0) > MAX_POINTS);
    shown.forEach((part, i) => this.#addRegion(part, within[i], standing[i]));
  }

  /** Edges within the regions, each once, with their lengths at rest: of polygons; of triangles where points stand for others. */
  #collectEdges(isCoarse: boolean, placesOf: (part: ScenePart) => Float32Array): void {
    for (const region of this.#regions) {
      const places = placesOf(region.part);
      for (const [a, b] of isCoarse ? this.#triangleEdges(region) : this.#polygonEdges(region)) {
        if (this.#edgeCount === MAX_EDGES) return;
        const at = this.#edgeCount++;
        const [p, n] = [this.#points[a], this.#points[b]];
        this.#edges[at * 2] = a;
        this.#edges[at * 2 + 1] = b;
        this.#lengths[at] = Math.hypot(
          places[p * 3] - places[n * 3],
          places[p * 3 + 1] - places[n * 3 + 1],
          places[p * 3 + 2] - places[n * 3 + 2],
        );
      }
    }
  }

  *#polygonEdges({ part, slotOf, from, count }: Region): Generator<readonly [number, number]> {
    const { offsets, points } = part.paint.neighbours;
    for (let slot = from; slot < from + count; slot++) {
      const p = this.#points[slot];
      for (let e = offsets[p]; e < offsets[p + 1]; e++)
        if (points[e] > p && slotOf[points[e]] >= 0) yield [slot, slotOf[points[e]]];
    }
  }

  *#triangleEdges({ from, count }: Region): Generator<readonly [number, number]> {
    const seen = new Set<number>();
    const { triangles } = this;
    for (let t = 0; t < triangles.length; t++) {
      const [a, b] = [triangles[t], triangles[t % 3 === 2 ? t - 2 : t + 1]];
      const key = Math.min(a, b) * MAX_POINTS + Math.max(a, b);
      if (a < from || a >= from + count || seen.has(key)) continue;
      seen.add(key);
      yield [a, b];
    }
  }

  /** @param standing for each of `points`, the one that stands for it: itself perhaps */
  #addRegion(part: ScenePart, points: Uint32Array, standing: Uint32Array): void {
    const slotOf = new Int32Array(part.part.pointCount).fill(-1);
    const from = this.count;
    points.forEach((p, i) => {
      if (standing[i] !== p) return;
      slotOf[p] = this.count;
      this.#points[this.count++] = p;
    });
    points.forEach((p, i) => (slotOf[p] = slotOf[standing[i]]));
    if (this.count > from) this.#regions.push({ part, slotOf, from, count: this.count - from });
  }

  #collectTriangles(): void {
    const found: number[] = [];
    for (const { part, slotOf } of this.#regions) {
      const { triangles } = part.part;
      for (let t = 0; t < triangles.length; t += 3) {
        const [a, b, c] = [slotOf[triangles[t]], slotOf[triangles[t + 1]], slotOf[triangles[t + 2]]];
        // What stands for one point is no face.
        if (a >= 0 && b >= 0 && c >= 0 && a !== b && b !== c && c !== a) found.push(a, b, c);
      }
    }
    this.triangles = Uint32Array.from(found);
  }
}

/**
 * A part's points in scene space with the skeleton at rest, as skinning puts them: also right where the file's rest pose
 * and its inverse bind matrices disagree, or where its units are not the scene's. The part's arrays are borrowed for it
 * and put back as they were.
 */
function restPlaces(held: ScenePart, subject: StripSubject, rest: Float32Array): Float32Array {
  const { index, skin } = held;
  const { document, world, deformer } = subject;
  document.bound.palette(index, rest, skin.palette);
  deformer.prepare(skin.palette, held.dual);
  deformer.skinRange(skin, held.dual, 0, held.part.pointCount);
  const places = skin.positions.slice();
  subject.preparePart(held, world);
  deformer.skinRange(skin, held.dual, 0, held.part.pointCount);
  return places;
}

/** From this weight on a point is the joint's own; and how many of those are to be seen. */
const OWN_WEIGHT = 0.4;
const SEEN_SHARE = 0.8;

/**
 * How far most of the points are that follow the joint: in a stout body that is farther than its bones are long, and a
 * picture that reached no farther would show the surface from inside.
 */
function farthestOfMost(
  parts: readonly ScenePart[],
  placed: readonly Float32Array[],
  centre: readonly [number, number, number],
): number {
  const found = parts.flatMap(({ jointWeights }, i) => {
    const far: number[] = [];
    for (let p = 0; p < jointWeights.length; p++)
      if (jointWeights[p] >= OWN_WEIGHT) far.push(squaredDistance(placed[i], p, centre));
    return far;
  });
  if (found.length === 0) return 0;
  const sorted = Float64Array.from(found).sort();
  return Math.sqrt(sorted[Math.floor(SEEN_SHARE * (sorted.length - 1))]);
}

/** The rows are the document's own: they are borrowed, and put back before anything else is done. */
function putOtherRows({ region, delta, at, stage }: OtherRows): void {
  const { rows } = region.part.skin;
  at.forEach((i, k) => {
    copyRow(rows, delta.points[i], stage, k);
    copyRow(delta.after, i, rows, delta.points[i]);
  });
}

function putStageRows({ region, delta, at, stage }: OtherRows): void {
  const { rows } = region.part.skin;
  at.forEach((i, k) => copyRow(stage, k, rows, delta.points[i]));
}

function squaredDistance(places: Float32Array, p: number, c: readonly [number, number, number]): number {
  const [dx, dy, dz] = [places[p * 3] - c[0], places[p * 3 + 1] - c[1], places[p * 3 + 2] - c[2]];
  return dx * dx + dy * dy + dz * dz;
}

function pointsWithin(
  places: Float32Array,
  centre: readonly [number, number, number],
  reach: number,
): Uint32Array {
  const found: number[] = [];
  for (let p = 0; p * 3 < places.length; p++)
    if (squaredDistance(places, p, centre) <= reach * reach) found.push(p);
  return Uint32Array.from(found);
}

/** For each point, the first of those in its cell. */
function standInCells(places: Float32Array, points: Uint32Array, cell: number): Uint32Array {
  const first = new Map<number, number>();
  // Cells of a picture lie well within 2^16 of each other along each axis.
  const at = (p: number, k: number): number => Math.floor(places[p * 3 + k] / cell) & 0xffff;
  return points.map((p) => {
    const key = (at(p, 0) * 0x10000 + at(p, 1)) * 0x10000 + at(p, 2);
    const held = first.get(key);
    if (held === undefined) first.set(key, p);
    return held ?? p;
  });
}

function countSelf(standing: Uint32Array, points: Uint32Array): number {
  let count = 0;
  for (let i = 0; i < points.length; i++) if (standing[i] === points[i]) count++;
  return count;
}
