export {
  makeFerryKeeper,
  makeFerryKeeperMeshes,
  type FerryKeeperOptions,
} from './ferryKeeper/ferryKeeper.ts';
export type { FaultCode, PlantedFault } from './ferryKeeper/faults.ts';
export { JOINT_NAMES } from './ferryKeeper/skeleton.ts';
export { makeHauling } from './hauling.ts';
export { makePorter, makePorterMeshes, type PorterOptions } from './porter/porter.ts';
export { JOINTS as LAMPLIGHTER_JOINTS, makeLamplighterDrawing } from './lamplighter/drawing.ts';
export { makeLamplighter, type LamplighterOptions } from './lamplighter/lamplighter.ts';
