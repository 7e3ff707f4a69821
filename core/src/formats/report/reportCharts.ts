import { stretchWords } from '../../analysis/words.ts';
import { worstFigures } from '../../analysis/bends/index.ts';
import { type Character, counted } from '../../document/index.ts';
import { influenceCount } from '../../weights/rows.ts';
import type { CharacterReport } from './characterReport.ts';
import { REPORT_ORDER } from './reportOrder.ts';
import { text } from './text.ts';

/** Bars of one line: what it is, and a length from 0 to 1 with its words, one or two. */
interface Bars {
  readonly label: string;
  readonly bars: readonly { readonly share: number; readonly words: string }[];
}

const ROW = 24;
const LEFT = 190;
const WIDTH = 640;
const MAX_BENDS = 16;

/** Lines of bars as a drawing in the page: printed as sharp as text. */
function barChart(title: string, lines: readonly Bars[], legend: readonly string[] = []): string {
  if (lines.length === 0) return '';
  const tall = (bars: readonly unknown[]): number => ROW * Math.max(1, 0.62 * bars.length + 0.2);
  let y = 0;
  const drawn = lines.map(({ label, bars }) => {
    const top = y;
    y += tall(bars);
    const each = bars.map(({ share, words }, i) => {
      const at = top + 3 + i * 0.62 * ROW;
      const long = Math.max(1, Math.min(1, share) * (WIDTH - LEFT - 110));
      return `<rect x="${LEFT}" y="${at.toFixed(1)}" width="${long.toFixed(1)}" height="${0.5 * ROW}" class="bar${i}"/><text x="${(LEFT + long + 6).toFixed(1)}" y="${(at + 0.42 * ROW).toFixed(1)}">${text(words)}</text>`;
    });
    return `<text x="${LEFT - 8}" y="${(top + 0.58 * ROW).toFixed(1)}" text-anchor="end">${text(label.slice(0, 28))}</text>${each.join('')}`;
  });
  const key = legend.map((words, i) => `<span class="key key${i}">${text(words)}</span>`).join(' ');
  return `<section><h2>${title}</h2>${key}<svg viewBox="0 0 ${WIDTH} ${Math.ceil(y)}" role="img" aria-label="${title}" class="chart">${drawn.join('')}</svg></section>`;
}

/** How many points have one influence, two, and so on. */
export function influenceChart({ rows }: Character): string {
  const counts = new Map<number, number>();
  for (const own of rows)
    for (let p = 0; p < own.pointCount; p++) {
      const influences = influenceCount(own, p);
      counts.set(influences, (counts.get(influences) ?? 0) + 1);
    }
  const most = Math.max(1, ...counts.values());
  const lines = [...counts]
    .sort(([a], [b]) => a - b)
    .map(([influences, count]) => ({
      label: influences === 0 ? 'no weight' : counted(influences, 'influence'),
      bars: [{ share: count / most, words: counted(count, 'point') }],
    }));
  return barChart('Influences', lines);
}

/** The worst bends as they are; where weights were changed, beside how they were. */
export function bendChart({ skeleton }: Character, { bends, before }: CharacterReport): string {
  const now = new Map(bends.map(({ trial }) => [trial.joint, worstFigures(trial, REPORT_ORDER).stretch]));
  const were = new Map(before.map((trial) => [trial.joint, worstFigures(trial, REPORT_ORDER).stretch]));
  const worst = (joint: number): number => Math.max(now.get(joint) ?? 0, were.get(joint) ?? 0);
  const joints = [...new Set([...now.keys(), ...were.keys()])]
    .sort((a, b) => worst(b) - worst(a) || a - b)
    .slice(0, MAX_BENDS);
  const most = Math.max(1e-9, ...joints.map(worst));
  const bar = (stretch: number) => ({ share: stretch / most, words: stretchWords(stretch) });
  const lines = joints.map((joint) => ({
    label: skeleton.joints[joint].name,
    bars:
      were.size > 0
        ? [bar(were.get(joint) ?? now.get(joint) ?? 0), bar(now.get(joint) ?? 0)]
        : [bar(now.get(joint) ?? 0)],
  }));
  return barChart(
    'How far the worst edge of each bend is stretched',
    lines,
    were.size > 0 ? ['as it came', 'now'] : [],
  );
}
