export { drawPicture, type Picture, type PictureMesh } from './drawPicture.ts';
