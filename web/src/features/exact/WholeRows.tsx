import { ActionButton } from '../../ui/ActionButton.tsx';
import type { Change } from '@judoka/core/weights';
import { healChange, pasteChange, rowOf } from './exactEdits.ts';
import { useEvent } from '../../document/useEvent.ts';
import { useUiSettings } from '../../settings/store.ts';
import { type Act, type At, changedWords } from './acting.ts';

/** Copy, paste, average, heal: a point's weights as a whole. */
export function WholeRows({ at, act }: { at: At; act: Act }) {
  const { limit } = useUiSettings('limit');
  useEvent(at.clipboard.events, 'changed');
  const held = at.clipboard.row;
  const has = at.scene.selection.count > 0;
  const perform = (label: string, make: (points: ReadonlyMap<number, Uint32Array>) => Change): void =>
    act(async () => {
      const change = make(at.scene.selection.points());
      await at.document.perform(label, { weights: change });
      return changedWords(change);
    });
  return (
    <section className="group" aria-label="Whole rows">
      <h2>Weights as a whole</h2>
      <div className="act-grid four">
        <ActionButton
          name="Copy weights"
          size="compact-xs"
          variant="default"
          disabled={!has}
          onClick={() => at.clipboard.hold(rowOf(at, at.scene.selection.points()))}
        >
          Copy
        </ActionButton>
        <ActionButton
          name="Paste weights"
          size="compact-xs"
          variant="default"
          disabled={!has || held.length === 0}
          onClick={() => perform('Paste weights', (points) => pasteChange(at, points, held, limit))}
        >
          Paste
        </ActionButton>
        <ActionButton
          name="Average weights"
          size="compact-xs"
          variant="default"
          disabled={!has}
          onClick={() => perform('Average', (points) => pasteChange(at, points, rowOf(at, points), limit))}
        >
          Average
        </ActionButton>
        <ActionButton
          name="Heal weights from the neighbours"
          size="compact-xs"
          variant="default"
          disabled={!has}
          onClick={() => perform('Heal', (points) => healChange(at, points, limit))}
        >
          Heal
        </ActionButton>
      </div>
      <div className="card-line">
        {held.length === 0
          ? 'Copy takes the mean of the selection; Alt+Shift+click with a brush takes a point’s.'
          : `Held: ${held
              .slice(0, 3)
              .map(({ joint, weight }) => `${at.document.jointName(joint)} ${weight.toFixed(2)}`)
              .join(', ')}${held.length > 3 ? ', …' : ''}`}
      </div>
    </section>
  );
}
