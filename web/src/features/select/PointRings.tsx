import { influencesOf } from '@judoka/core/weights';
import { useEffect, useState } from 'react';
import { useEvent } from '../../document/useEvent.ts';
import type { StageView } from '../../scene/StageView.ts';
import type { Editing } from '../../scene/Editing.ts';

type At = Editing;

/** More rings than this would hide the surface. */
const MAX_RINGS = 48;
const RADIUS_PX = 8;
const WIDTH_PX = 4;
const AROUND = 2 * Math.PI * RADIUS_PX;
/** Rings nearer to one another than this cannot be read. */
const NEAREST_PX = 22;

interface PointRing {
  readonly part: number;
  readonly point: number;
  readonly x: number;
  readonly y: number;
}

/** Each selected point's influences as a small ring, while there are few and they lie far enough apart to be read. */
export function PointRings({ at, view }: { at: At; view: StageView }) {
  const selection = useEvent(at.scene.events, 'selection');
  useEvent(at.document.events, 'weights');
  const [rings, setRings] = useState<readonly PointRing[]>([]);
  useEffect(() => {
    const place = (): void => setRings((before) => placeRings(at, view, before));
    place();
    return view.onDrawn(place);
  }, [at, view, selection]);
  if (rings.length === 0) return null;
  return (
    <svg className="point-rings" aria-hidden="true">
      {rings.map(({ part, point, x, y }) => {
        let turn = 0;
        return (
          <g key={`${part} ${point}`} transform={`translate(${x} ${y}) rotate(-90)`}>
            <circle r={RADIUS_PX + WIDTH_PX / 2 + 1} className="rim" />
            {influencesOf(at.scene.parts[part].skin.rows, point).map(({ joint, weight }) => {
              const from = turn;
              turn += weight;
              return (
                <circle
                  key={joint}
                  r={RADIUS_PX}
                  fill="none"
                  stroke={joint === at.scene.joint ? 'var(--ink)' : at.scene.palette.css(joint)}
                  strokeWidth={WIDTH_PX}
                  strokeDasharray={`${weight * AROUND} ${AROUND}`}
                  strokeDashoffset={-from * AROUND}
                />
              );
            })}
          </g>
        );
      })}
    </svg>
  );
}

const NONE: readonly PointRing[] = [];

function placeRings(at: At, view: StageView, before: readonly PointRing[]): readonly PointRing[] {
  if (at.scene.selection.count === 0 || at.scene.selection.count > MAX_RINGS) return NONE;
  const rings: PointRing[] = [];
  for (const [part, points] of at.scene.selection.points()) {
    for (const point of points) {
      const spot = view.sight.spotOfPoint(part, point);
      if (spot) rings.push({ part, point, x: Math.round(spot.x), y: Math.round(spot.y) });
    }
  }
  const crowded = rings.some((a, i) =>
    rings.some((b, k) => k > i && Math.hypot(a.x - b.x, a.y - b.y) < NEAREST_PX),
  );
  if (crowded) return NONE;
  const same =
    before.length === rings.length && rings.every(({ x, y }, i) => before[i].x === x && before[i].y === y);
  return same ? before : rings;
}
