import type { Editing } from '../../scene/Editing.ts';
import type { HistoryList } from './HistoryList.ts';
import type { MomentLook } from './MomentLook.ts';

/** What the history's panels work on. */
export interface HistoryAt extends Editing {
  readonly historyList: HistoryList;
  readonly momentLook: MomentLook;
}
