export { falloffAt, FALLOFFS, type Falloff, type FalloffCurve } from './falloff.ts';
export {
  add,
  cross,
  distance,
  dot,
  length,
  lerp,
  mirrored,
  normalize,
  scale,
  subtract,
  type Vec3,
} from './vector.ts';
export { grouped } from './grouped.ts';
