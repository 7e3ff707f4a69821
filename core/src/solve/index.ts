export { solveKernels } from './solveKernels.ts';
