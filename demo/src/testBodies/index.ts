export { makeActor, type ActorOptions } from './actor.ts';
export { plantNine, type PlantedFault } from './planting.ts';
