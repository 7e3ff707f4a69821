/** A place on the canvas, in CSS pixels. */
export interface Spot {
  readonly x: number;
  readonly y: number;
}
