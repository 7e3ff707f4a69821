import { counted } from '@judoka/core/document';
import { rankBends, worstPose, type JointTrial } from '@judoka/core/analysis/bends';
import { showRangePose } from '../features/range/showRangePose.ts';
import type { StrayList } from '../features/strays/StrayList.ts';
import type { Editing } from '../scene/Editing.ts';
import type { Trial } from '../trial/Trial.ts';

/**
 * What is wrong with weights, the same for badges, counts, filters and the key that walks through it: patches that stray,
 * and bends that are worse than on the other side, as far as the range was measured.
 */
export class Troubles {
  readonly #at: Editing & { readonly trial: Trial };
  readonly #strayList: StrayList;
  /** What was shown last. */
  #shown = '';
  #counted: { strays: Uint32Array; bends: readonly number[]; counts: Uint32Array } | undefined;

  constructor(at: Editing & { readonly trial: Trial }, strayList: StrayList) {
    this.#at = at;
    this.#strayList = strayList;
  }

  /** Uint32Array, by joint: how many points of strays follow it, and one more where its bend is worse; kept until it changes. */
  byJoint(): Uint32Array {
    const strays = this.#strayList.counts();
    const bends = this.#at.trial.lopsided();
    if (this.#counted?.strays !== strays || this.#counted.bends !== bends) {
      const counts = strays.slice();
      for (const joint of bends) counts[joint]++;
      this.#counted = { strays, bends, counts };
    }
    return this.#counted.counts;
  }

  /** What is wrong with a joint, in words; empty where nothing is. */
  wordsOf(joint: number): string {
    const points = this.#strayList.counts()[joint];
    const said = points > 0 ? [counted(points, 'point strays', 'points stray')] : [];
    if (this.#at.trial.lopsided().includes(joint)) said.push('bends worse than the other side');
    return said.join('; ');
  }

  /** Shows the worst, and what follows when it is asked again. @returns false where there is nothing */
  showNext(): boolean {
    const list = this.#list();
    if (list.length === 0) return false;
    const at = list.findIndex(({ key }) => key === this.#shown);
    const next = list[(at + 1) % list.length];
    this.#shown = next.key;
    next.show();
    return true;
  }

  #list(): { key: string; show: () => void }[] {
    const { trial } = this.#at;
    const bends = trial
      .lopsided()
      .flatMap((joint) => trial.range?.trials.filter((one) => one.joint === joint) ?? []);
    return [
      ...this.#strayList.open().map((stray) => ({
        key: `stray ${stray.part} ${stray.joint} ${stray.points[0]}`,
        show: () => this.#strayList.show(stray),
      })),
      ...rankBends(bends, 'stretch').map((one: JointTrial) => ({
        key: `bend ${one.joint}`,
        show: () => showRangePose(this.#at, one, worstPose(one, 'stretch'), false),
      })),
    ];
  }
}
