import { useRef, useState } from 'react';
import type { InfluenceEdit, InfluenceSpan } from './exactEdits.ts';
import type { At } from './acting.ts';
import { amountOf, amountWords, draggedAmount, readAmount } from './influenceAmounts.ts';

/** Least, mean and greatest weight as a bar; a number typed beside it, or dragged along it, changes all. */
export function InfluenceRow({
  at,
  span: { joint, least, mean, most },
  way,
  isIdle,
  run,
}: {
  at: At;
  span: InfluenceSpan;
  way: InfluenceEdit['kind'];
  /** Whether there is nothing to change, for nothing is selected. */
  isIdle: boolean;
  run: (edit: InfluenceEdit) => void;
}) {
  const [typed, setTyped] = useState<string>();
  const [dragged, setDragged] = useState<InfluenceEdit>();
  const start = useRef(0);
  const name = at.document.jointName(joint);
  const isOff = isIdle || at.document.locks[joint] === 1;
  const keep = (): void => {
    const edit = typed === undefined || typed.trim() === '' ? undefined : readAmount(way, typed);
    setTyped(undefined);
    if (typeof edit === 'string') at.document.notify(edit);
    else if (edit) run(edit);
  };
  const shareAt = ({ clientX, currentTarget }: React.PointerEvent): number => {
    const { left, width } = currentTarget.getBoundingClientRect();
    return (clientX - left) / width;
  };
  const still = { set: mean.toFixed(3), shift: '+0.000', scale: '100%' }[way];
  return (
    <div className="span-row" data-influence={name}>
      <button type="button" className="word" onClick={() => at.scene.chooseJoint(joint)}>
        {name}
      </button>
      <div
        className="span-bar"
        data-off={isOff}
        title={`least ${least.toFixed(3)}, mean ${mean.toFixed(3)}, greatest ${most.toFixed(3)}`}
        onPointerDown={(event) => {
          if (isOff || event.button !== 0) return;
          event.currentTarget.setPointerCapture(event.pointerId);
          start.current = shareAt(event);
          setDragged(draggedAmount(way, start.current, start.current));
        }}
        onPointerMove={(event) => dragged && setDragged(draggedAmount(way, start.current, shareAt(event)))}
        onPointerUp={() => {
          if (dragged) run(dragged);
          setDragged(undefined);
        }}
        onPointerCancel={() => setDragged(undefined)}
      >
        <i style={{ left: `${least * 100}%`, width: `${Math.max(1, (most - least) * 100)}%` }} />
        <b style={{ left: `${100 * (dragged?.kind === 'set' ? dragged.to : mean)}%` }} />
      </div>
      <input
        className="figures"
        aria-label={`Weight of ${name}`}
        disabled={isOff}
        value={typed ?? (dragged ? amountWords(way, amountOf(dragged)) : still)}
        onFocus={(event) => event.currentTarget.select()}
        onChange={(event) => setTyped(event.currentTarget.value)}
        onBlur={() => setTyped(undefined)}
        onKeyDown={(event) => {
          if (event.key === 'Enter') keep();
          if (event.key === 'Escape') setTyped(undefined);
        }}
      />
    </div>
  );
}
