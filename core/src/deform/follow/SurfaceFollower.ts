import { countBytes } from '../../memory/countBytes.ts';
import type { KernelMemory } from '../../memory/kernelMemory.ts';
import { createKernelMemory } from '../../memory/wasmMemory.ts';
import { laySkin, type SkinArrays } from '../skin.ts';
import { type SkinKernels, skinKernels } from '../skinKernels.ts';
import type { Anchors } from './anchors.ts';
import type { Follower, FollowingPlaces, Needed } from './Follower.ts';
import { frameOf, layTurns, type TurningSurface } from './frames.ts';

/**
 * Places that keep their distance from a driver's surface and their turn against it, in any pose: each anchor turns and moves
 * them as the surface has turned and moved there, and they are blended as joints are. Holds memory of its own.
 */
export class SurfaceFollower implements Follower {
  readonly #driverPoints: Uint32Array;
  readonly all: Needed;
  readonly #anchors: Anchors;
  readonly #skin: SkinArrays;
  readonly #kernels: SkinKernels;
  readonly #list: Uint32Array;
  /** The driver's points that are needed, by number, as they were taken in. */
  readonly #surface: TurningSurface;
  /** By driver's point: its number. */
  readonly #numbers: ReadonlyMap<number, number>;
  #holders: Holders | undefined;

  /** @param driver its surface at rest, as the anchors were found on it */
  static async create(
    anchors: Anchors,
    places: FollowingPlaces,
    driver: FollowingPlaces,
  ): Promise<SurfaceFollower> {
    const memory = await createKernelMemory(countBytes((counted) => lay(counted, anchors)));
    return new SurfaceFollower(anchors, places, driver, memory);
  }

  /** @param memory nobody else's, with room for what {@link create} counts */
  constructor(anchors: Anchors, places: FollowingPlaces, driver: FollowingPlaces, memory: KernelMemory) {
    const { points, beside, rows } = anchors;
    this.#anchors = anchors;
    const { skin, list } = lay(memory, anchors);
    this.#skin = skin;
    this.#list = list;
    this.#kernels = skinKernels(memory);
    skin.rest.set(places.positions);
    skin.restNormals.set(places.normals);
    skin.rows.joints.set(rows.joints);
    skin.rows.values.set(rows.values);
    this.#driverPoints = Uint32Array.from(new Set([...points, ...beside])).sort();
    this.#numbers = new Map(Array.from(this.#driverPoints, (p, i) => [p, i]));
    const [own, next] = [points, beside].map((of) => of.map((p) => this.#numbers.get(p) as number));
    const gathered = (of: Float32Array): Float32Array =>
      Float32Array.from({ length: 3 * this.#driverPoints.length }, (_, i) => {
        return of[this.#driverPoints[Math.floor(i / 3)] * 3 + (i % 3)];
      });
    const [rest, normals] = [gathered(driver.positions), gathered(driver.normals)];
    const frames = new Float64Array(9 * points.length);
    for (let a = 0; a < points.length; a++) frameOf(rest, normals, own[a], next[a], frames, a * 9);
    const scales = new Float32Array(this.#driverPoints.length).fill(1);
    this.#surface = { rest, normals, frames, scales, own, beside: next, positions: rest.slice() };
    const all = Uint32Array.from({ length: points.length }, (_, a) => a);
    this.all = {
      anchors: all,
      points: this.#driverPoints,
      numbers: Uint32Array.from(this.#driverPoints.keys()),
    };
  }

  get followed(): Pick<SkinArrays, 'positions' | 'normals'> {
    return this.#skin;
  }

  needOf(points: ArrayLike<number>, count: number): Needed {
    const { rows } = this.#anchors;
    const { own, beside } = this.#surface;
    const anchors = new Set<number>();
    for (let i = 0; i < count; i++)
      for (let k = points[i] * rows.stride; k < (points[i] + 1) * rows.stride && rows.values[k] > 0; k++)
        anchors.add(rows.joints[k]);
    const list = Uint32Array.from(anchors).sort();
    const numbers = Uint32Array.from(new Set([...list].flatMap((a) => [own[a], beside[a]]))).sort();
    return { anchors: list, numbers, points: numbers.map((i) => this.#driverPoints[i]) };
  }

  placesAt(touched: ArrayLike<number>, count: number): Uint32Array {
    this.#holders ??= holdersOf(this.#anchors, this.#surface, this.#driverPoints.length);
    const { offsets, places } = this.#holders;
    const found = new Set<number>();
    for (let i = 0; i < count; i++) {
      const number = this.#numbers.get(touched[i]);
      if (number === undefined) continue;
      for (let k = offsets[number]; k < offsets[number + 1]; k++) found.add(places[k]);
    }
    return Uint32Array.from(found).sort();
  }

  take(
    numbers: Uint32Array,
    positions: Float32Array,
    normals: Float32Array,
    scales: Float32Array | undefined,
  ): void {
    const into = this.#surface;
    for (let i = 0; i < numbers.length; i++) {
      const [from, to] = [i * 3, numbers[i] * 3];
      into.positions[to] = positions[from];
      into.positions[to + 1] = positions[from + 1];
      into.positions[to + 2] = positions[from + 2];
      into.normals[to] = normals[from];
      into.normals[to + 1] = normals[from + 1];
      into.normals[to + 2] = normals[from + 2];
      into.scales[numbers[i]] = scales ? scales[i] : 1;
    }
  }

  follow(needed: Needed, points?: ArrayLike<number>, count = 0): void {
    layTurns(this.#surface, needed.anchors, this.#skin.palette);
    if (!points) {
      this.#kernels.skinRange(this.#skin, 0, this.#anchors.rows.pointCount);
      return;
    }
    for (let i = 0; i < count; i++) this.#list[i] = points[i];
    this.#kernels.skinList(this.#skin, { points: this.#list, count });
  }
}

const lay = (memory: KernelMemory, { points, rows }: Anchors) => ({
  skin: laySkin(memory, rows.pointCount, rows.stride, points.length),
  list: memory.u32(rows.pointCount),
});

/** By number of a driver's point, the places that hold on to it. */
interface Holders {
  readonly offsets: Uint32Array;
  readonly places: Uint32Array;
}

function holdersOf({ rows }: Anchors, { own, beside }: TurningSurface, count: number): Holders {
  const visit = (found: (number: number, place: number) => void): void => {
    for (let p = 0; p < rows.pointCount; p++)
      for (let k = p * rows.stride; k < (p + 1) * rows.stride && rows.values[k] > 0; k++) {
        found(own[rows.joints[k]], p);
        found(beside[rows.joints[k]], p);
      }
  };
  const offsets = new Uint32Array(count + 1);
  visit((number) => offsets[number + 1]++);
  for (let i = 0; i < count; i++) offsets[i + 1] += offsets[i];
  const ends = offsets.slice(0, count);
  const places = new Uint32Array(offsets[count]);
  visit((number, place) => {
    places[ends[number]++] = place;
  });
  return { offsets, places };
}
