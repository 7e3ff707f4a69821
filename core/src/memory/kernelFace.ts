import type { AddressOf, CompiledKernels, KernelFunctions, KernelMemory } from './kernelMemory.ts';

/**
 * A domain's face of the kernels: its hot loops as plain functions, and how the compiled ones are called.
 *
 * @param plain    the loops in TypeScript: the tests' oracle, and the fallback where WebAssembly SIMD is missing
 * @param compiled the same calls on compiled kernels
 * @returns the loops that work on a given memory; made once a memory
 */
export function kernelFace<Face extends object>(
  plain: Face,
  compiled: (run: KernelFunctions, at: AddressOf, accumulator: number) => Face,
): (memory: KernelMemory) => Face {
  const faces = new WeakMap<CompiledKernels, Face>();
  return ({ compiled: kernels }) => {
    if (!kernels) return plain;
    const known = faces.get(kernels);
    if (known) return known;
    const face = compiled(kernels.run, kernels.at, kernels.accumulator);
    faces.set(kernels, face);
    return face;
  };
}
