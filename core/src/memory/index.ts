export { createPlainMemory, type KernelMemory, PLAIN_MEMORY } from './kernelMemory.ts';
export { createKernelMemory } from './wasmMemory.ts';
export { countBytes } from './countBytes.ts';
