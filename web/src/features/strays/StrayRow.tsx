import { counted } from '@judoka/core/document';
import { strayWords } from '@judoka/core/analysis';
import type { RankedStray } from '@judoka/core/analysis/strays';
import type { Receiver } from '@judoka/core/weights';
import { NO_MARKS } from '../../scene/Scene.ts';
import type { Editing } from '../../scene/Editing.ts';
import type { StrayList } from './StrayList.ts';
import '../../trial/trial.css';

export type StrayEditing = Editing & { readonly strayList: StrayList };

/** Removes strays, and says what locks held back. */
export function takeAway(at: StrayEditing, strays: readonly RankedStray[], receiver: Receiver): void {
  at.strayList
    .remove(strays, receiver)
    .then((held) => {
      at.scene.setMarks(NO_MARKS);
      if (held > 0)
        at.document.notify(`${counted(held, 'point')} kept all weight: locks leave it no place to go.`);
    })
    .catch(at.document.notifyError);
}

export const strayKey = ({ part, joint, points }: RankedStray): string => `${part}:${joint}:${points[0]}`;

/** A stray, what can be done with it, and how much it moves. */
export function StrayRow({
  at,
  stray,
  remove,
  dismissed = false,
}: {
  at: StrayEditing;
  stray: RankedStray;
  remove?: () => void;
  dismissed?: boolean;
}) {
  const { part, joint, kind, points, movement } = stray;
  const share = (100 * movement) / (at.document.size || 1);
  return (
    <li>
      <button
        type="button"
        onClick={() => at.strayList.show(stray)}
        title={`Show the stray of ${at.document.jointName(joint)}`}
      >
        <span className="rank-name">{at.document.jointName(joint)}</span>
        <span className="rank-figure figures" title="How far it moves the surface, in percent of the size">
          {share.toFixed(1)}%
        </span>
        <span className="rank-words">
          {strayWords(kind, at.document.jointName(joint), points.length)}, on {at.document.partName(part)}
        </span>
      </button>
      <div className="rank-acts">
        {remove && (
          <button type="button" onClick={remove}>
            remove
          </button>
        )}
        {dismissed ? (
          <button type="button" onClick={() => at.strayList.restore(stray)}>
            list again
          </button>
        ) : (
          <button type="button" onClick={() => at.strayList.dismiss(stray)}>
            it is meant
          </button>
        )}
      </div>
    </li>
  );
}
