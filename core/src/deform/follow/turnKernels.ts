import { kernelFace } from '../../memory/kernelFace.ts';
import type { PointList } from '../../weights/pointList.ts';
import { layTurns, type TurningSurface } from './frames.ts';

/** The hot loops of following a surface; see the plain twins for what they do. */
export interface TurnKernels {
  layTurns(surface: TurningSurface, anchors: PointList, palette: Float32Array): void;
}

export const turnKernels = kernelFace<TurnKernels>({ layTurns }, (run, at) => ({
  layTurns({ frames, rest, positions, normals, scales, own, beside }, { points, count }, palette) {
    const surface = [frames, rest, positions, normals, scales, own, beside].map(at);
    run.layTurns(at(points), count, ...surface, at(palette));
  },
}));
