export { DEPTHS, gatherDab, type DabPlace, type Depth } from './dabPoints.ts';
export { blendBorders, borderBand, MAX_BLEND_RINGS } from './blendBorders.ts';
export {
  createFootprintWorkspace,
  gatherFootprint,
  type BrushTip,
  type FootprintWorkspace,
} from './brushFootprint.ts';
export {
  BRUSH_TOOLS,
  createPaintWorkspace,
  Stroke,
  takesAll,
  type BrushSettings,
  type BrushTool,
  type PaintWorkspace,
  type StrokeReport,
} from './stroke.ts';
