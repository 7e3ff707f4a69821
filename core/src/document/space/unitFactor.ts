import type { CheckInput } from '../checkInput.ts';
import { liveJoints } from '../../skeleton/skeleton.ts';

/** By how much the skeleton should be scaled to fit the mesh; 1 where it fits. */
export function unitFactor(input: CheckInput): number {
  const { ratio } = sizesOf(input);
  if (!(ratio > UNITS_RATIO || ratio < 1 / (UNITS_RATIO * 4))) return 1;
  const off = (factor: number): number => Math.abs(Math.log(ratio * factor));
  return UNIT_FACTORS.reduce((best, factor) => (off(factor) < off(best) ? factor : best));
}

/** Skeletons this many times larger or smaller than the mesh are in other units. */
export const UNITS_RATIO = 8;

/** What units differ by, as programs and people have them: millimetres to metres, inches. */
export const UNIT_FACTORS = [0.001, 0.01, 0.0254, 0.1, 10, 1 / 0.0254, 100, 1000];

/** The skeleton's box, and how many times larger it is than the mesh's; NaN where either has no size. */
export function sizesOf(input: CheckInput): {
  ratio: number;
  meshSize: number;
  least: number[];
  most: number[];
} {
  const { places, box } = input;
  const joints = liveJoints(input.skeleton);
  const along = [0, 1, 2].map((k) => joints.map((joint) => places[joint * 3 + k]));
  const least = along.map((xs) => Math.min(...xs));
  const most = along.map((xs) => Math.max(...xs));
  const skeletonSize = Math.hypot(...most.map((x, k) => x - least[k]));
  const meshSize = Math.hypot(...box.most.map((x, k) => x - box.least[k]));
  const ratio = joints.length > 1 && meshSize > 0 && skeletonSize > 0 ? skeletonSize / meshSize : NaN;
  return { ratio, meshSize, least, most };
}
