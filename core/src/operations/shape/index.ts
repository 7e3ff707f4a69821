export { ShapeStroke, type ShapedPart, type ShapeReport, type ShapeRules } from './ShapeStroke.ts';
