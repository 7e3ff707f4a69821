/** Polygons as offsets into a list of corner points (Part's own layout). */
export interface Polygons {
  readonly offsets: Uint32Array;
  readonly points: Uint32Array;
}
