import type { CharacterPart } from '../character.ts';

// Bound space: where parts stand when every joint is where it was when the skin was bound. All lengths that mean
// something to a person, and all tolerances, are measured in it: a part's own space may be of any scale.

declare const space: unique symbol;
/** Float32Array, 3 a point: places in bound space. A part's own positions are none, however alike they look. */
export type BoundPositions = Float32Array & { readonly [space]: 'bound' };

type Placed = Pick<CharacterPart, 'positions' | 'inverseBinds'>;

/** Where a part stands in bound space: Float32Array, 16, column-major. */
export const partPlace = ({ inverseBinds }: Pick<CharacterPart, 'inverseBinds'>): Float32Array =>
  inverseBinds.subarray(inverseBinds.length - 16);

/** Room for places in bound space. */
export const asBound = (room: Float32Array): BoundPositions => room as BoundPositions;

/** A part's points in bound space, into `dst` from number `at` on: Float32Array, 3·pointCount. */
export function placePositions(part: Placed, dst: BoundPositions, at = 0): void {
  const { positions } = part;
  const m = partPlace(part);
  for (let i = 0; i < positions.length; i += 3)
    for (let k = 0; k < 3; k++)
      dst[at + i + k] =
        m[k] * positions[i] + m[4 + k] * positions[i + 1] + m[8 + k] * positions[i + 2] + m[12 + k];
}

/** A part's points in bound space: Float32Array, 3·pointCount. */
export function boundPositions(part: Placed): BoundPositions {
  const placed = asBound(new Float32Array(part.positions.length));
  placePositions(part, placed);
  return placed;
}

/** A box with sides along the axes; infinite the wrong way round where there is nothing in it. */
export interface Box {
  readonly least: [number, number, number];
  readonly most: [number, number, number];
}

/** The box around points: Float32Array, 3 a point. */
export function boxAround(clouds: Iterable<Float32Array>): Box {
  const box: Box = { least: [Infinity, Infinity, Infinity], most: [-Infinity, -Infinity, -Infinity] };
  for (const cloud of clouds) {
    for (let i = 0; i < cloud.length; i++) {
      const axis = i % 3;
      if (cloud[i] < box.least[axis]) box.least[axis] = cloud[i];
      if (cloud[i] > box.most[axis]) box.most[axis] = cloud[i];
    }
  }
  return box;
}

/** The box around parts, in bound space. */
export const boundBox = (parts: readonly Placed[]): Box => boxAround(parts.map(boundPositions));

/** The longest side of a box; 0 where there is nothing in it. */
export const longestSide = ({ least, most }: Box): number =>
  Math.max(0, ...[0, 1, 2].map((k) => most[k] - least[k]));

/** How large a character is: the longest side of the box around its parts, in bound space. */
export const characterSize = (parts: readonly Placed[]): number => longestSide(boundBox(parts));
