import { haulingMotion, writeBvh } from '@judoka/core';

/** The text of demo/hauling.bvh: somebody hauls the ferry's rope, hand over hand. */
export const makeHauling = (): string => writeBvh(haulingMotion());
