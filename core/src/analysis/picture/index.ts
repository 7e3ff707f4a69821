export { drawPicture, type Picture } from './drawPicture.ts';
