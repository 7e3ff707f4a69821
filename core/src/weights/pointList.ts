/** Points to work on, as the memory take them: the first `count` of `points`. */
export interface PointList {
  readonly points: Uint32Array;
  readonly count: number;
}
