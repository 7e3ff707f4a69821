import { decodeWeights, encodeWeights } from '@judoka/contract';
import type { Alternative } from './alternative.ts';
import type { StoredAlternative } from './queue/editStore.ts';

/** What is proposed, as this browser keeps it over a reload. */
export const encodeAlternative = ({ change, cure, ...rest }: Alternative): StoredAlternative => ({
  ...rest,
  change: encodeWeights(change),
  ...(cure && { cure: { ...cure, base: encodeWeights(cure.base), full: encodeWeights(cure.full) } }),
});

export const decodeAlternative = ({ change, cure, ...rest }: StoredAlternative): Alternative => ({
  ...rest,
  change: decodeWeights(change),
  ...(cure && { cure: { ...cure, base: decodeWeights(cure.base), full: decodeWeights(cure.full) } }),
});
