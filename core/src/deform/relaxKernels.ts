import { kernelFace } from '../memory/kernelFace.ts';
import { relaxFrames, relaxPass, type RelaxArrays } from './relax.ts';

/** The hot loops of relaxing; see the plain twins for what they do. */
export interface RelaxKernels {
  relaxPass(
    arrays: Pick<RelaxArrays, 'offsets' | 'neighbours'>,
    list: Uint32Array,
    count: number,
    from: Float32Array,
    to: Float32Array,
    share: number,
  ): void;
  relaxFrames(
    arrays: RelaxArrays,
    list: Uint32Array,
    count: number,
    smooth: Float32Array,
    strength: number,
  ): void;
}

export const relaxKernels = kernelFace<RelaxKernels>({ relaxPass, relaxFrames }, (run, at) => ({
  relaxPass({ offsets, neighbours }, list, count, from, to, share) {
    run.relaxPass(at(list), count, at(from), at(to), at(offsets), at(neighbours), share);
  },
  relaxFrames(arrays, list, count, smooth, strength) {
    const { faceOffsets, faces, triangles, tangents, detail, skinned, skinnedNormals, amounts } = arrays;
    const surface = [at(smooth), at(faceOffsets), at(faces), at(triangles), at(tangents)];
    const held = [at(detail), at(skinned), at(skinnedNormals), amounts ? at(amounts) : 0];
    run.relaxFrames(at(list), count, ...surface, ...held, strength, at(arrays.positions), at(arrays.normals));
  },
}));
