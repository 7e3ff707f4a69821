import { useEffect, useState } from 'react';
import { useEvent } from '../../document/useEvent.ts';
import type { Editing } from '../../scene/Editing.ts';
import type { StageView } from '../../scene/StageView.ts';
import type { Comments, Place } from './Comments.ts';
import './comments.css';

interface At extends Editing {
  readonly comments: Comments;
}

interface Pin {
  readonly id: string;
  readonly x: number;
  readonly y: number;
  readonly isChosen: boolean;
}

const NONE: readonly Pin[] = [];

/** Where on the surface something is said: a mark that goes along with the pose, while the comments are open. */
export function CommentPins({ at, view }: { at: At; view: StageView }) {
  const version = useEvent(at.comments.events, 'changed');
  const [pins, setPins] = useState<readonly Pin[]>(NONE);
  useEffect(() => {
    const lay = (): void => setPins((before) => sameOr(before, layPins(at, view)));
    lay();
    return view.onDrawn(lay);
  }, [at, view, version]);
  if (pins.length === 0) return null;
  return (
    <svg className="point-rings" aria-hidden="true">
      {pins.map(({ id, x, y, isChosen }) => (
        <g key={id} transform={`translate(${x} ${y})`} className="comment-pin" data-chosen={isChosen}>
          <path d="M0 0 L-6 -12 A7 7 0 1 1 6 -12 Z" />
          <circle cy={-15} r={2.2} />
        </g>
      ))}
    </svg>
  );
}

function layPins({ comments, document }: At, view: StageView): Pin[] {
  if (!comments.isOpen) return [];
  const places: { id: string; place: Place }[] = comments.open.flatMap(({ id, place }) =>
    place && place.part < document.parts.length && place.point < document.parts[place.part].part.pointCount
      ? [{ id, place }]
      : [],
  );
  if (comments.place) places.push({ id: 'new', place: comments.place });
  return places.flatMap(({ id, place }) => {
    const spot = view.sight.spotOfPoint(place.part, place.point);
    const isChosen = id === 'new' || id === comments.chosen;
    return spot ? [{ id, x: Math.round(spot.x), y: Math.round(spot.y), isChosen }] : [];
  });
}

function sameOr(before: readonly Pin[], now: readonly Pin[]): readonly Pin[] {
  if (now.length === 0) return NONE;
  const isSame =
    before.length === now.length &&
    now.every(
      ({ id, x, y, isChosen }, i) =>
        before[i].id === id && before[i].x === x && before[i].y === y && before[i].isChosen === isChosen,
    );
  return isSame ? before : now;
}
