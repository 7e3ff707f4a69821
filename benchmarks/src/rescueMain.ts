import { benchRescue } from './rescue.ts';

await benchRescue();
