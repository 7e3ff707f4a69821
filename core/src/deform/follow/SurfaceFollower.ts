import { countBytes } from '../../memory/countBytes.ts';
import type { KernelMemory } from '../../memory/kernelMemory.ts';
import { createKernelMemory } from '../../memory/wasmMemory.ts';
import { laySkin, type SkinArrays } from '../skin.ts';
import { type SkinKernels, skinKernels } from '../skinKernels.ts';
import type { Anchors } from './anchors.ts';
import type { Follower, FollowingPlaces, Needed } from './Follower.ts';
import { frameOf, type TurningSurface } from './frames.ts';
import { type TurnKernels, turnKernels } from './turnKernels.ts';

/**
 * Places that keep their distance from a driver's surface and their turn against it, in any pose: each anchor turns and moves
 * them as the surface has turned and moved there, and they are blended as joints are. Holds memory of its own.
 */
export class SurfaceFollower implements Follower {
  readonly #driverPoints: Uint32Array;
  readonly all: Needed;
  readonly #anchors: Anchors;
  readonly #skin: SkinArrays;
  readonly #kernels: SkinKernels & TurnKernels;
  /** Room for the places, and for the anchors, that are asked for. */
  readonly #list: Uint32Array;
  readonly #turned: Uint32Array;
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
    const driverPoints = Uint32Array.from(new Set([...anchors.points, ...anchors.beside])).sort();
    const layAll = (memory: KernelMemory) => lay(memory, anchors, driverPoints.length);
    const memory = await createKernelMemory(countBytes(layAll));
    return new SurfaceFollower(anchors, driverPoints, places, driver, memory);
  }

  private constructor(
    anchors: Anchors,
    driverPoints: Uint32Array,
    places: FollowingPlaces,
    driver: FollowingPlaces,
    memory: KernelMemory,
  ) {
    const { points, beside, rows } = anchors;
    this.#anchors = anchors;
    const { skin, surface, list, turned } = lay(memory, anchors, driverPoints.length);
    this.#skin = skin;
    this.#surface = surface;
    this.#list = list;
    this.#turned = turned;
    this.#kernels = { ...skinKernels(memory), ...turnKernels(memory) };
    skin.rest.set(places.positions);
    skin.restNormals.set(places.normals);
    skin.rows.joints.set(rows.joints);
    skin.rows.values.set(rows.values);
    this.#driverPoints = driverPoints;
    this.#numbers = new Map(Array.from(driverPoints, (p, i) => [p, i]));
    const numbers = Uint32Array.from(driverPoints.keys());
    this.all = {
      anchors: Uint32Array.from({ length: points.length }, (_, a) => a),
      points: driverPoints,
      numbers,
    };
    const gathered = (of: Float32Array): Float32Array =>
      Float32Array.from({ length: 3 * driverPoints.length }, (_, i) => {
        return of[driverPoints[Math.floor(i / 3)] * 3 + (i % 3)];
      });
    surface.rest.set(gathered(driver.positions));
    this.take(numbers, surface.rest, gathered(driver.normals), undefined);
    for (let a = 0; a < points.length; a++) {
      surface.own[a] = this.#numbers.get(points[a]) as number;
      surface.beside[a] = this.#numbers.get(beside[a]) as number;
      frameOf(surface.rest, surface.normals, surface.own[a], surface.beside[a], surface.frames, a * 9);
    }
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
    const [count, first] = [numbers.length, numbers[0]];
    if (count > 0 && numbers[count - 1] - first === count - 1) {
      into.positions.set(positions.subarray(0, count * 3), first * 3);
      into.normals.set(normals.subarray(0, count * 3), first * 3);
      if (scales) into.scales.set(scales, first);
      else into.scales.fill(1, first, first + count);
      return;
    }
    for (let i = 0; i < count; i++) {
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
    this.#turned.set(needed.anchors);
    const turned = { points: this.#turned, count: needed.anchors.length };
    this.#kernels.layTurns(this.#surface, turned, this.#skin.palette);
    if (!points) {
      this.#kernels.skinRange(this.#skin, 0, this.#anchors.rows.pointCount);
      return;
    }
    for (let i = 0; i < count; i++) this.#list[i] = points[i];
    this.#kernels.skinList(this.#skin, { points: this.#list, count });
  }
}

const lay = (memory: KernelMemory, { points, rows }: Anchors, driverCount: number) => ({
  skin: laySkin(memory, rows.pointCount, rows.stride, points.length),
  surface: {
    frames: memory.f32(points.length * 9),
    rest: memory.f32(driverCount * 3),
    positions: memory.f32(driverCount * 3),
    normals: memory.f32(driverCount * 3),
    scales: memory.f32(driverCount),
    own: memory.u32(points.length),
    beside: memory.u32(points.length),
  },
  list: memory.u32(rows.pointCount),
  turned: memory.u32(points.length),
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
