import { benchDrawing } from './drawing.ts';

await benchDrawing();
