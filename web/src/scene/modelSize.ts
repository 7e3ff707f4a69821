import type { Editing } from './Editing.ts';

/** How large the character is, in scene units: what brush radii are shares of. */
export const modelSize = ({ document }: Editing): number => document.size || 1;
