import { skinKernels } from '@judoka/core/deform';
import { makeSurface, type Surface } from './surface.ts';

/** Points along a side of the benchmarks' surface: 99,856 in all. */
export const SIDE = 316;
export const four = (): number => 4;

export const skinAll = ({ memory, arrays, pointCount }: Surface) => {
  return () => skinKernels(memory).skinRange(arrays, 0, pointCount);
};

export const section = (title: string): void => console.log(`\n${title}`);

export const surface = await makeSurface(SIDE, four);
export const { pointCount } = surface;
/** What every figure is held against: one pass of linear blend skinning. */
export const unit = skinAll(surface);
