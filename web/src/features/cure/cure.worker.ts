import { bendJudge, BendMeter } from '@judoka/core/analysis/bends';
import type { MotionRange } from '@judoka/core/animation';
import type { Skinning } from '@judoka/core/deform';
import type { Character } from '@judoka/core/document';
import { messageOf } from '@judoka/core/errors';
import { type BendJudge, type Cure, cureBends, type CureRequest } from '@judoka/core/operations/cure';
import { apply, type Change, copyRows } from '@judoka/core/weights';
import * as Comlink from 'comlink';

/** A character whose bends are cured, with copies of its weights. */
export interface CuredSubject {
  readonly character: Character;
  readonly ranges: readonly MotionRange[];
  readonly skinning: Skinning;
}

/** A cure, or why there is none. */
export interface CureAnswer {
  readonly cure?: Cure;
  readonly failure?: string;
}

/** Progress is told at most this often, in milliseconds. */
const REPORT_MS = 80;

let held: (CuredSubject & { readonly judge: BendJudge }) | undefined;

const worker = {
  async begin(subject: CuredSubject): Promise<void> {
    const meter = await BendMeter.create(subject.character, subject.skinning);
    held = { ...subject, judge: bendJudge(meter, subject.ranges) };
  },

  cure(request: CureRequest, tell: (share: number) => void): CureAnswer {
    if (!held) throw new Error('The character has not come yet.');
    let told = 0;
    const watch = (share: number): void => {
      if (performance.now() - told < REPORT_MS) return;
      told = performance.now();
      tell(share);
    };
    try {
      return { cure: cureBends(held.character, held.ranges, held.judge, request, watch) };
    } catch (error) {
      return { failure: messageOf(error) };
    }
  },

  /** The damage of joints' bends with a change of the weights that came. */
  damages(change: Change, joints: readonly number[]): number[] {
    if (!held) throw new Error('The character has not come yet.');
    const rows = held.character.rows.map(copyRows);
    apply(rows, change);
    held.judge.setRows(rows);
    return joints.map((joint) => held?.judge.damageOf(joint) ?? 0);
  },
};

export type CureWorker = typeof worker;
Comlink.expose(worker);
