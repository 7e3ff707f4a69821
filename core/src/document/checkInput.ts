import type { Character } from './character.ts';
import type { JointPairs } from '../skeleton/pairs.ts';
import type { WeightRows } from '../weights/rows.ts';
import type { DeliveryProfile } from './profiles.ts';

/** What the check-up looks at. Lengths are those of bind space. */
export interface CheckInput extends Pick<Character, 'parts' | 'skeleton' | 'sourceWeights' | 'drawing'> {
  readonly rows: readonly WeightRows[];
  /** The rows as they were read. */
  readonly cameRows: readonly WeightRows[];
  readonly profile: DeliveryProfile;
  /** Joints whose deforming is off. */
  readonly nonDeforming: ReadonlySet<number>;
  /** Root joints that no part of the body lies about. */
  readonly roots: ReadonlySet<number>;
  readonly places: Float32Array;
  readonly pairs: JointPairs;
  readonly box: { readonly least: readonly number[]; readonly most: readonly number[] };
  /** Lengths below this count as nothing: a share of the character's size. */
  readonly tolerance: number;
}
