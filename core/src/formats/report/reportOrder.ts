import type { BendOrder } from '../../analysis/bends/index.ts';

/** As the list in the workspace has bends at first. */
export const REPORT_ORDER: BendOrder = 'stretch';
