export { falloffAt, FALLOFFS, type Falloff, type FalloffCurve } from './falloff.ts';
