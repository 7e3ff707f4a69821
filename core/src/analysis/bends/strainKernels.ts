import { kernelFace } from '../../memory/kernelFace.ts';
import { strainEdges, strainFaces, strainPoints } from './strain.ts';

/** The hot loops that measure strain; see the plain twins for what they do. */
export interface StrainKernels {
  strainEdges(edges: Uint32Array, rest: Float32Array, positions: Float32Array, out: Float32Array): void;
  strainFaces(
    triangles: Uint32Array,
    rest: Float32Array,
    positions: Float32Array,
    normals: Float32Array,
    out: Float32Array,
  ): void;
  strainPoints(edges: Uint32Array, strains: Float32Array, out: Float32Array): void;
}

export const strainKernels = kernelFace<StrainKernels>(
  { strainEdges, strainFaces, strainPoints },
  (run, at) => ({
    strainEdges(edges, rest, positions, out) {
      run.strainEdges(at(edges), at(rest), rest.length, at(positions), at(out));
    },
    strainFaces(triangles, rest, positions, normals, out) {
      run.strainFaces(at(triangles), at(rest), rest.length, at(positions), at(normals), at(out));
    },
    strainPoints(edges, strains, out) {
      run.strainPoints(at(edges), at(strains), strains.length, at(out));
    },
  }),
);
