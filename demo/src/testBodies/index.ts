export { makeActor, type ActorOptions } from './actor.ts';
