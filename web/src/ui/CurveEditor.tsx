import { falloffAt, type FalloffCurve } from '@judoka/core/math';
import { useRef, type KeyboardEvent, type PointerEvent } from 'react';

const WIDTH = 230;
const HEIGHT = 84;
const PAD = 8;

interface CurveEditorProps {
  readonly curve: FalloffCurve;
  readonly set: (curve: FalloffCurve) => void;
}

/** A falloff of one's own: its steps are dragged up and down, from the brush's centre at the left to its rim. */
export function CurveEditor({ curve, set }: CurveEditorProps) {
  const dragged = useRef(-1);
  const svg = useRef<SVGSVGElement>(null);
  const x = (i: number): number => PAD + (i / (curve.length - 1)) * (WIDTH - 2 * PAD);
  const y = (value: number): number => HEIGHT - PAD - value * (HEIGHT - 2 * PAD);
  const put = (i: number, value: number): void =>
    set(curve.map((held, k) => (k === i ? Math.max(0, Math.min(1, value)) : held)));
  const drag = (event: PointerEvent): void => {
    if (dragged.current < 0 || !svg.current) return;
    const { top, height } = svg.current.getBoundingClientRect();
    const at = ((event.clientY - top) / height) * HEIGHT;
    put(dragged.current, (HEIGHT - PAD - at) / (HEIGHT - 2 * PAD));
  };
  const onKeyDown = (event: KeyboardEvent, i: number): void => {
    const step = { ArrowUp: 0.05, ArrowDown: -0.05 }[event.key];
    if (step === undefined) return;
    event.preventDefault();
    put(i, curve[i] + step);
  };
  const line = Array.from({ length: 65 }, (_, k) => {
    const t = Math.min(k / 64, 0.999);
    return `${PAD + t * (WIDTH - 2 * PAD)},${y(falloffAt(curve, t))}`;
  });
  return (
    <svg
      ref={svg}
      className="curve-editor"
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      onPointerMove={drag}
      onPointerUp={() => (dragged.current = -1)}
      onPointerLeave={() => (dragged.current = -1)}
    >
      <polyline points={line.join(' ')} fill="none" stroke="var(--ink)" strokeWidth="1.5" />
      {curve.map((value, i) => (
        <rect
          key={i}
          x={x(i) - 5}
          y={y(value) - 5}
          width={10}
          height={10}
          transform={`rotate(45 ${x(i)} ${y(value)})`}
          fill="var(--accent)"
          role="slider"
          tabIndex={0}
          aria-label={`Strength at step ${i} of ${curve.length - 1}`}
          aria-valuenow={Math.round(value * 100)}
          aria-valuemin={0}
          aria-valuemax={100}
          style={{ cursor: 'ns-resize' }}
          onPointerDown={(event) => {
            dragged.current = i;
            svg.current?.setPointerCapture(event.pointerId);
          }}
          onKeyDown={(event) => onKeyDown(event, i)}
        />
      ))}
    </svg>
  );
}
