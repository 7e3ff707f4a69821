import type { Drawing } from '../../drawing/drawing.ts';
import { CoreError } from '../../errors.ts';
import type { CharacterPart } from '../../document/character.ts';
import type { Skeleton } from '../../skeleton/skeleton.ts';
import type { Confines } from '../../weights/confines.ts';
import type { WeightRows } from '../../weights/rows.ts';

export const BIND_METHODS = ['nearest', 'heat', 'volume'] as const;
export type BindMethod = (typeof BIND_METHODS)[number];

/** What a binding asks of a part. */
export type BindPart = Pick<
  CharacterPart,
  | 'name'
  | 'pointCount'
  | 'positions'
  | 'triangles'
  | 'polygonOffsets'
  | 'polygonPoints'
  | 'inverseBinds'
  | 'vertexPoint'
  | 'vertexCount'
  | 'source'
>;

/** What is bound: parts and skeleton as read, and the weights as they are. */
export interface BindSkin {
  readonly parts: readonly BindPart[];
  readonly skeleton: Skeleton;
  readonly rows: readonly WeightRows[];
  /** Of a flat character: it is bound layer by layer. */
  readonly drawing?: Drawing;
}

export interface BindRequest {
  readonly method: BindMethod;
  /** The parts to bind; their surfaces make the solid. */
  readonly parts: readonly number[];
  /** By part, the points to bind, rising; all of a part that is missing. */
  readonly points?: ReadonlyMap<number, Uint32Array>;
  /** Uint8Array, jointCount: not 0 where a joint may get weight. */
  readonly deforming: Uint8Array;
  /** How soft borders are, in shares of the limb's thickness, above 0 and at most 1. */
  readonly softness: number;
  /** Largest number of influences, 1 to 8. */
  readonly limit: number;
  readonly locks: Uint8Array;
  readonly confines?: Confines;
  /** Solid cells to measure in, for the volume method; fewer are quicker and coarser. */
  readonly cells?: number;
}

/** Why a region was bound in another way than asked. */
export type FallbackReason = 'no-bone-seen' | 'no-solution' | 'no-way-inside';

export interface BindFallback {
  readonly part: number;
  /** Points of the part. */
  readonly points: Uint32Array;
  readonly why: FallbackReason;
}

export interface BindReport {
  readonly method: BindMethod;
  /** Points asked for, and those whose row is another now. */
  readonly asked: number;
  readonly changed: number;
  readonly fallbacks: readonly BindFallback[];
  /** Points where the locked joints leave no room: they stayed as they were. */
  readonly held: number;
  /** Islands bound as one piece. */
  readonly stiff: number;
}

export function checkRequest(
  { skeleton, parts }: BindSkin,
  { deforming, parts: chosen, softness, limit }: BindRequest,
): void {
  if (skeleton.joints.length === 0)
    throw new CoreError(
      'bind-impossible',
      'This character has no joints. Bring in a file with a skeleton first.',
    );
  if (!deforming.some((one) => one !== 0))
    throw new CoreError(
      'bind-impossible',
      'No joint may deform. Switch deforming on for at least one joint.',
    );
  if (chosen.length === 0 || chosen.some((part) => !parts[part] || parts[part].triangles.length === 0))
    throw new CoreError('bind-impossible', 'Choose at least one part that has a surface.');
  if (!(softness > 0 && softness <= 1))
    throw new CoreError('argument-invalid', 'Falloff is a number above 0 and at most 1.', { softness });
  if (!(Number.isInteger(limit) && limit >= 1 && limit <= 8))
    throw new CoreError(
      'argument-invalid',
      'The largest number of influences is a whole number from 1 to 8.',
      { limit },
    );
}
