import type { Differences } from '../../analysis/difference/index.ts';
import { counted } from '../../document/index.ts';
import { REPORT_STYLE } from './reportStyle.ts';
import { text } from './text.ts';

export interface DifferencePage {
  readonly name: string;
  /** What is held against what, in words. */
  readonly before: string;
  readonly after: string;
  /** When it was made. */
  readonly at: Date;
  readonly differences: Differences;
  /** The worst stretch of each joint that bends otherwise: 1 for double the length; undefined if nobody measured. */
  readonly bends?: readonly { readonly joint: number; readonly before: number; readonly after: number }[];
  readonly jointName: (joint: number) => string;
  readonly partName: (part: number) => string;
  /** A picture of it, as a `data:` URL. */
  readonly picture?: string;
}

/** Lines of each table; the rest is counted. */
const MAX_LINES = 60;

/** What differs between two states of a character's weights, as one HTML page: nothing in it runs, nothing is loaded. */
export function differencePage(page: DifferencePage): string {
  const { name, before, after, at, differences, bends, jointName, partName, picture } = page;
  const { joints, places, points } = differences;
  return `<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width">
<title>${text(name)}: what differs</title>
<style>${REPORT_STYLE}</style>
</head>
<body>
<header>
<div>
<h1>${text(name)}</h1>
<p class="faint">“${text(before)}” against “${text(after)}”, ${at.toISOString().slice(0, 16).replace('T', ', ')} UTC</p>
<p class="verdict">${points === 0 ? 'Nothing differs.' : `${counted(points, 'point differs', 'points differ')} in ${counted(places.length, 'place')}.`}</p>
</div>
${picture === undefined ? '' : `<img src="${text(picture)}" alt="${text(name)}">`}
</header>
${table(
  'Joints, most changed first',
  ['Joint', 'More weight', 'Less weight', 'Points'],
  joints.map(({ joint, more, less, points: own }) => [
    jointName(joint),
    more.toFixed(2),
    less.toFixed(2),
    String(own),
  ]),
)}
${table(
  'Places, most changed first',
  ['Place', 'Mostly', 'Most at a point', 'Points'],
  places.map(({ part, joint, most, points: own }) => [
    partName(part),
    jointName(joint),
    most.toFixed(3),
    String(own.length),
  ]),
)}
${
  bends === undefined
    ? ''
    : table(
        'Bends, how far the worst edge is stretched',
        ['Joint', 'Before', 'After', ''],
        bends.map((bend) => [
          jointName(bend.joint),
          times(bend.before),
          times(bend.after),
          bend.after < bend.before ? 'better' : 'worse',
        ]),
      )
}
</body>
</html>
`;
}

const times = (stretch: number): string => `×${(1 + stretch).toFixed(2)}`;

function table(title: string, head: readonly string[], rows: readonly (readonly string[])[]): string {
  if (rows.length === 0) return `<section><h2>${title}</h2><p>None.</p></section>`;
  const line = (cells: readonly string[], tag: string): string =>
    `<tr>${cells.map((cell, i) => `<${tag}${i > 0 ? ' class="number"' : ''}>${text(cell)}</${tag}>`).join('')}</tr>`;
  const more = rows.length - MAX_LINES;
  return `<section>
<h2>${title}</h2>
<table>
${line(head, 'th')}
${rows
  .slice(0, MAX_LINES)
  .map((cells) => line(cells, 'td'))
  .join('\n')}
</table>
${more > 0 ? `<p class="faint">and ${more} more</p>` : ''}
</section>`;
}
