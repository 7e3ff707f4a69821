import { strayWords } from '@judoka/core/analysis';
import type { RankedStray } from '@judoka/core/analysis/strays';
import type { StrayEditing } from './takeAway.ts';
import '../../trial/trial.css';

export const strayKey = ({ part, joint, points }: RankedStray): string => `${part}:${joint}:${points[0]}`;

/** A stray, what can be done with it, and how much it moves. */
export function StrayRow({
  at,
  stray,
  remove,
  propose,
  dismissed = false,
}: {
  at: StrayEditing;
  stray: RankedStray;
  remove?: () => void;
  /** Proposes to remove it: old against new, measured. */
  propose?: () => void;
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
        {propose && (
          <button type="button" onClick={propose}>
            look first
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
