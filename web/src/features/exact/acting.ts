import { counted } from '@judoka/core/document';
import type { Change } from '@judoka/core/weights';
import type { Editing } from '../../scene/Editing.ts';
import type { Clipboard } from './Clipboard.ts';

export type At = Editing & { readonly clipboard: Clipboard };

export type Act = (work: () => Promise<string | undefined>) => void;

export const changedWords = (change: Change): string => {
  const count = change.reduce((sum, { points }) => sum + points.length, 0);
  return count === 0 ? 'Nothing there to change.' : `${counted(count, 'point')} changed.`;
};
