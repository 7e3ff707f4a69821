export { anchorsOfPoints, pointsTakenOut } from './anchors.ts';
export { nearestOn, placeOn, sharesAt, splitCurve, type CurvePlaces } from './curves.ts';
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
  type Picture,
  type PicturePaint,
  type Shape,
  type Stroke,
} from './drawing.ts';
export { isInside, type ClosedLines } from './inside.ts';
export { MAX_ADDED_POINTS, outlinesOfLayer, withLayerOutlines, type LayerOutlines } from './layerOutlines.ts';
export { contains, layerArea, pageBox, signedArea, type LayerArea } from './layerArea.ts';
export { LayerMesh, usualMesh, type LayerPart, type MeshPiece } from './layerMesh.ts';
export { OutlineEditor, type OutlineCut } from './OutlineEditor.ts';
export { picturePixels, type PicturePixels } from './picturePixels.ts';
export type { PageScale } from './paints.ts';
export { placeSamples, sampleShape } from './samples.ts';
