import type { SkinArrays } from '../skin.ts';

/** A part as the joints bind it, in the scene. */
export interface FollowingPlaces {
  readonly positions: Float32Array;
  readonly normals: Float32Array;
}

/** Some places, and what of the driver's surface they need. */
export interface Needed {
  /** Uint32Array: the anchors, rising; nothing in a cage. */
  readonly anchors: Uint32Array;
  /** Uint32Array: the driver's points, and their numbers here. */
  readonly points: Uint32Array;
  readonly numbers: Uint32Array;
}

/** Places that go where a driver takes them, in any pose. */
export interface Follower {
  /** What all of them need. */
  readonly all: Needed;
  /** Where the places are, as far as they have been asked for. Float32Array, 3 a place, scene space. */
  readonly followed: Pick<SkinArrays, 'positions' | 'normals'>;
  /** What listed places need of the driver. */
  needOf(points: ArrayLike<number>, count: number): Needed;
  /** The places that hold on to any of the driver's points in a list. Uint32Array, rising. */
  placesAt(touched: ArrayLike<number>, count: number): Uint32Array;
  /**
   * Takes the driver's surface in.
   * @param numbers of the driver's points, rising
   * @param positions, normals Float32Array, 3 a listed point
   * @param scales  how much larger each is than at rest; 1 for all where it is missing
   */
  take(
    numbers: Uint32Array,
    positions: Float32Array,
    normals: Float32Array,
    scales: Float32Array | undefined,
  ): void;
  /** Places that need of the driver what was taken in: all of them, or those listed; see `followed`. */
  follow(needed: Needed, points?: ArrayLike<number>, count?: number): void;
}
