export {
  influenceMask,
  jumpMask,
  QuadWalker,
  rowDistance,
  weightRangeMask,
  type Walk,
  type WalkKind,
} from './walks.ts';
export { insideLine, projectPoints, seenPoints, type ScreenSurface, type ScreenView } from './screen.ts';
