import { worstPose, type BendOrder, type JointTrial, type TrialPose } from '@judoka/core/analysis/bends';
import {
  BarController,
  BarElement,
  CategoryScale,
  Chart,
  LinearScale,
  LineController,
  LineElement,
  PointElement,
  Tooltip,
} from 'chart.js';
import { useComputedColorScheme } from '@mantine/core';
import { useEffect, useRef } from 'react';
import { DAY, NIGHT } from '../ui/theme/tokens.ts';
import { whenWords } from './whenWords.ts';

Chart.register(
  BarController,
  BarElement,
  CategoryScale,
  LinearScale,
  LineController,
  LineElement,
  PointElement,
  Tooltip,
);

/** How bad a joint's bend is in each pose: bars over a range, a line over a clip; a click shows the pose. */
export function BendChart({
  trial,
  order,
  before,
  show,
}: {
  trial: JointTrial;
  order: BendOrder;
  before?: JointTrial;
  show: (pose: number) => void;
}) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const scheme = useComputedColorScheme('light');
  const shown = useRef(show);
  shown.current = show;
  useEffect(() => {
    if (!canvas.current) return undefined;
    const tokens = scheme === 'dark' ? NIGHT : DAY;
    const overTime = !('angles' in trial.poses[0].at);
    // A place that is not stretched has its length once.
    const figureOf = ({ figures }: TrialPose): number =>
      order === 'stretch' ? 1 + figures.stretch : figures.damage;
    const shownFigures = trial.poses.map(figureOf);
    const worst = worstPose(trial, order);
    const chart = new Chart(canvas.current, {
      type: overTime ? 'line' : 'bar',
      data: {
        labels: trial.poses.map(whenWords),
        datasets: [
          {
            label: 'now',
            data: shownFigures,
            backgroundColor: shownFigures.map((_, i) => (i === worst ? tokens.accent : tokens.ink)),
            borderColor: tokens.ink,
            borderWidth: overTime ? 1.5 : 0,
            pointRadius: overTime ? shownFigures.map((_, i) => (i === worst ? 4 : 0)) : 0,
          },
          ...(before && before.poses.length === trial.poses.length
            ? [
                {
                  label: 'as it came',
                  data: before.poses.map(figureOf),
                  backgroundColor: tokens.hairline,
                  borderColor: tokens.faint,
                  borderWidth: overTime ? 1 : 0,
                  pointRadius: 0,
                },
              ]
            : []),
        ],
      },
      options: {
        animation: false,
        responsive: true,
        maintainAspectRatio: false,
        interaction: { mode: 'index', intersect: false },
        onClick: (_, hits) => {
          const hit = hits.at(0);
          if (hit) shown.current(hit.index);
        },
        scales: {
          x: { ticks: { display: false }, grid: { display: false }, border: { color: tokens.hairline } },
          y: {
            beginAtZero: order === 'damage',
            ticks: {
              color: tokens.faint,
              maxTicksLimit: 4,
              callback: (value) => (order === 'stretch' ? `×${value}` : value),
            },
            grid: { color: tokens.hairline },
            border: { display: false },
          },
        },
        plugins: { legend: { display: false }, tooltip: { displayColors: false } },
      },
    });
    return () => chart.destroy();
  }, [trial, before, scheme, order]);
  return (
    <div style={{ height: 110 }}>
      <div role="img" aria-label="How bad each pose is; a click shows it" style={{ height: '100%' }}>
        <canvas ref={canvas} />
      </div>
    </div>
  );
}
