import { CoreError } from '../errors.ts';
import { WEIGHT_FORMATS, type WeightFormat } from './profiles.ts';

export const DELIVERY_FORMATS = ['glb', 'gltf', 'dae'] as const;
export type DeliveryFormat = (typeof DELIVERY_FORMATS)[number];

/** How a character leaves: what is done to the file that goes out, and to nothing else. */
export interface Delivery {
  readonly format: DeliveryFormat;
  readonly weights: WeightFormat;
  /** Whether joints without weight leave the lists of the skins; their nodes stay. */
  readonly leavesEmptyJoints: boolean;
  /** Parts are split until each has at most so many joints and vertices; 0 for as many as they have. */
  readonly maxJoints: number;
  readonly maxVertices: number;
  /** Whether buffers are packed (EXT_meshopt_compression). */
  readonly isPacked: boolean;
  /** All lengths are multiplied by it, in a node above all. */
  readonly scale: number;
  readonly up: 'Y' | 'Z';
  /** Vertices that nobody edited are written too, where their sums are off by more than the format allows. */
  readonly exactSums: boolean;
  readonly withMotions: boolean;
  readonly withPoses: boolean;
  /** Of a drawing: its fills as meshes, rather than the points of its outlines. */
  readonly asMeshes: boolean;
}

export const DELIVERY: Delivery = {
  format: 'glb',
  weights: 'f32',
  leavesEmptyJoints: false,
  maxJoints: 0,
  maxVertices: 0,
  isPacked: false,
  scale: 1,
  up: 'Y',
  exactSums: true,
  withMotions: false,
  withPoses: false,
  asMeshes: true,
};

/**
 * How a character leaves, from a recipe or a request; what is not said is as usual.
 * @throws CoreError argument-invalid with the name of the field
 */
export function readDelivery(json: Readonly<Record<string, unknown>>): Delivery {
  const delivery: Record<string, unknown> = { ...DELIVERY };
  for (const [field, value] of Object.entries(json)) {
    if (!Object.hasOwn(DELIVERY, field)) throw wrong(field, 'left out: there is no such setting');
    const usual = DELIVERY[field as keyof Delivery];
    if (typeof value !== typeof usual) throw wrong(field, `a ${typeof usual}`);
    delivery[field] = value;
  }
  const read = delivery as unknown as Delivery;
  if (!DELIVERY_FORMATS.includes(read.format))
    throw wrong('format', `one of: ${DELIVERY_FORMATS.join(', ')}`);
  if (!WEIGHT_FORMATS.includes(read.weights)) throw wrong('weights', `one of: ${WEIGHT_FORMATS.join(', ')}`);
  if (!['Y', 'Z'].includes(read.up)) throw wrong('up', 'Y or Z');
  if (!(read.scale > 0 && read.scale <= 1e6)) throw wrong('scale', 'a number above 0');
  for (const field of ['maxJoints', 'maxVertices'] as const)
    if (!Number.isInteger(read[field]) || read[field] < 0) throw wrong(field, 'a whole number from 0');
  if (read.maxJoints === 1 || (read.maxVertices > 0 && read.maxVertices < 64))
    throw wrong('maxJoints', 'at least 2, and maxVertices at least 64');
  return read;
}

const wrong = (field: string, needed: string): CoreError =>
  new CoreError('argument-invalid', `“${field}” of a delivery has to be ${needed}.`, { where: field });
