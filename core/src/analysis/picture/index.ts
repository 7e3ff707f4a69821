export { drawPicture, type Picture, type PictureMesh } from './drawPicture.ts';
export { drawDrawing } from './drawDrawing.ts';
export { rasterize, type Raster } from './drawPicture.ts';
export { drawSkeleton, drawWeights } from './drawWeights.ts';
