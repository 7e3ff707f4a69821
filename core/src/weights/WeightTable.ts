/** One weight of a table. */
export interface TableWeight {
  readonly joint: string;
  readonly weight: number;
}

/** A point of a table, with all that it says of it. */
export interface TablePoint {
  /** Its number in its part. */
  readonly point: number;
  /** Where it stands at rest, in its part's space; undefined where the table does not say. */
  readonly place?: readonly [number, number, number];
  readonly weights: readonly TableWeight[];
  /** Where it stands in the table, for messages. */
  readonly where: string;
}

/** Weights as people and other programs exchange them: by names. */
export interface WeightTable {
  readonly parts: readonly { readonly name: string; readonly points: readonly TablePoint[] }[];
}
