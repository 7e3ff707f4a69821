export { bringBack, MAX_BORDER_RINGS, type BringBackReport, type BringBackRequest } from './bringBack.ts';
export { readPastRows, type PastRows } from './pastRows.ts';
export { restoreDocument } from './restoreDocument.ts';
