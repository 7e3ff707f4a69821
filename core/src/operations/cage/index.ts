export { makeCage, MIN_CAGE_POINTS, type CageRequest, type MadeCage } from './makeCage.ts';
export type { HeldBody } from './joinBodies.ts';
