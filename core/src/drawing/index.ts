export { anchorsOfPoints } from './anchors.ts';
export { controlTriangles } from './controlMesh.ts';
export {
  handleOwners,
  segmentsOf,
  vertexCountOf,
  type Drawing,
  type FillRule,
  type Gradient,
  type GradientStop,
  type Layer,
  type Outline,
  type Paint,
  type Shape,
  type Stroke,
} from './drawing.ts';
export { isInside, type ClosedLines } from './inside.ts';
export { fillShape, type FillMesh } from './fillMesh.ts';
export { solveMembrane } from './membrane.ts';
export { mixSamples, placeSamples, sampleShape, type Samples } from './samples.ts';
