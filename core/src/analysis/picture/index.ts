export { drawPicture, type Picture, type PictureMesh } from './drawPicture.ts';
export { drawDrawing } from './drawDrawing.ts';
