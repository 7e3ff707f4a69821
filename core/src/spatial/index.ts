export { spatialKernels } from './spatialKernels.ts';
