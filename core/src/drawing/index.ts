export { anchorsOfPoints } from './anchors.ts';
export { controlTriangles } from './controlMesh.ts';
export {
  handleOwners,
  outlinesOfShape,
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
export { LayerMesh, type LayerPart, type MeshPiece } from './layerMesh.ts';
export type { PageScale } from './paints.ts';
export { placeSamples, sampleShape } from './samples.ts';
