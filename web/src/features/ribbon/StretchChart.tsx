import { useComputedColorScheme } from '@mantine/core';
import { CategoryScale, Chart, LinearScale, LineController, LineElement, PointElement } from 'chart.js';
import { useEffect, useRef } from 'react';
import { DAY, NIGHT } from '../../ui/theme/tokens.ts';

Chart.register(CategoryScale, LinearScale, LineController, LineElement, PointElement);

/** How long a ribbon is along it on the outer and the inner side of its bends, against rest. */
export function StretchChart({ outer, inner }: { outer: readonly number[]; inner: readonly number[] }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const scheme = useComputedColorScheme('light');
  useEffect(() => {
    if (!canvas.current) return undefined;
    const tokens = scheme === 'dark' ? NIGHT : DAY;
    const line = (data: readonly number[], color: string, dash: number[]) => ({
      data: [...data],
      ...{ borderColor: color, borderWidth: 1.5, borderDash: dash, pointRadius: 0, tension: 0.3 },
    });
    const chart = new Chart(canvas.current, {
      type: 'line',
      data: {
        labels: outer.map((_, i) => String(i)),
        datasets: [line(outer, tokens.ink, []), line(inner, tokens.accent, [5, 3])],
      },
      options: {
        ...{ animation: false, responsive: true, maintainAspectRatio: false, events: [] },
        scales: {
          x: { ticks: { display: false }, grid: { display: false }, border: { color: tokens.hairline } },
          y: {
            suggestedMin: 0.5,
            suggestedMax: 1.5,
            ticks: { color: tokens.faint, maxTicksLimit: 4, callback: (value) => `×${value}` },
            grid: { color: tokens.hairline },
            border: { display: false },
          },
        },
        plugins: { legend: { display: false }, tooltip: { enabled: false } },
      },
    });
    return () => chart.destroy();
  }, [outer, inner, scheme]);
  return (
    <div
      style={{ height: 84 }}
      role="img"
      aria-label="How it is stretched outside its bends, and squashed inside"
    >
      <canvas ref={canvas} />
    </div>
  );
}
