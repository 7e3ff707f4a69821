import { haulingMotion } from '@judoka/core/animation';
import { writeBvh } from '@judoka/core/formats';

/** The text of demo/hauling.bvh: somebody hauls the ferry's rope, hand over hand. */
export const makeHauling = (): string => writeBvh(haulingMotion());
