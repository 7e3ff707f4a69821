import { angleWords, figureWords, strayWords } from '../../analysis/words.ts';
import { drawDrawing, drawPicture, type Picture, type PictureMesh } from '../../analysis/picture/index.ts';
import { type Character, counted, type Finding, FINDING_WORDS, type Severity } from '../../document/index.ts';
import { grouped } from '../../math/grouped.ts';
import { liveJoints } from '../../skeleton/skeleton.ts';
import { countInfluences } from './countInfluences.ts';
import { pictureSections } from './pictureSections.ts';
import type { CharacterReport, ReportedBend } from './characterReport.ts';
import { bendChart, influenceChart } from './reportCharts.ts';
import { REPORT_ORDER } from './reportOrder.ts';
import { rulerOf, worstPose } from '../../analysis/bends/index.ts';
import { REPORT_STYLE } from './reportStyle.ts';
import { text } from './text.ts';

export interface ReportPageOptions {
  readonly name: string;
  /** When it was made. */
  readonly at: Date;
  /** Who asked for it. */
  readonly by?: string;
  /** What has left, the last first. */
  readonly delivered?: readonly { readonly at: Date; readonly file: string; readonly words: string }[];
  /** @returns the picture as a `data:` URL */
  readonly encode: (picture: Picture) => string;
}

const SEVERITY: Readonly<Record<Severity, string>> = { error: 'Fails', warning: 'Look at', note: 'Note' };
/** Strays and bends in one table; the rest is counted. */
const MAX_LINES = 40;

/** A report as one HTML page that carries all it shows: nothing in it runs, nothing is loaded. */
export function reportPage(
  character: Character,
  report: CharacterReport,
  { name, at, by, delivered = [], encode }: ReportPageOptions,
): string {
  const { findings, strays, bends, atRest } = report;
  const drawn = bends.filter(({ surface }) => surface.length > 0);
  return `<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width">
<title>${text(name)}: report</title>
<style>${REPORT_STYLE}</style>
</head>
<body>
<header>
<div>
<h1>${text(name)}</h1>
<p class="faint">Report of ${at.toISOString().slice(0, 16).replace('T', ', ')} UTC${by === undefined ? '' : `, for ${text(by)}`}</p>
<p class="verdict">${text(verdict(report))}</p>
${figures(character)}
</div>
<img src="${encode(pictureOf(character, atRest, 480, 360))}" alt="${text(name)} at rest">
</header>
${limitSection(report)}
${deliveredSection(delivered)}
${influenceChart(character)}
${pictureSections(character, report, encode)}
${section('What was found', findings.length, 'Nothing was found wrong.', findings.map(findingLine))}
${section('Weight that does not belong', strays.length, 'Nothing strays.', strayLines(character, report))}
${bendChart(character, report)}
<section>
<h2>Bends, worst first</h2>
${bends.length === 0 ? '<p>Nothing bends.</p>' : ''}
<div class="bends">${drawn.map((bend) => bendFigure(character, bend, encode)).join('')}</div>
${bends.length > drawn.length ? bendTable(character, bends.slice(drawn.length)) : ''}
</section>
</body>
</html>
`;
}

/** Meshes of the character in clay; of a drawing its layers in their own colours, where their points are. */
function pictureOf(
  { drawing, parts }: Character,
  meshes: readonly PictureMesh[],
  width: number,
  height: number,
): Picture {
  if (!drawing || meshes.length !== parts.length) return drawPicture(meshes, width, height);
  const posed = meshes.map(({ positions }) => positions);
  return drawDrawing(drawing, parts, width, height, posed);
}

/** One line that says whether there is something to do. Bends are ranked, not judged: every body folds somewhere. */
function verdict({ findings, strays }: CharacterReport): string {
  const errors = findings.filter(({ severity, settled }) => severity === 'error' && !settled).length;
  const said = [
    ...(errors > 0 ? [counted(errors, 'fault')] : []),
    ...(strays.length > 0 ? [counted(strays.length, 'patch that strays', 'patches that stray')] : []),
  ];
  return said.length === 0 ? 'Nothing that has to be mended was found.' : `To be mended: ${said.join(', ')}.`;
}

function figures(character: Character): string {
  const { parts, skeleton, rows } = character;
  const points = parts.reduce((sum, { pointCount }) => sum + pointCount, 0);
  const { most, mean } = countInfluences(rows);
  const lines: [string, string][] = [
    ['Parts', grouped(parts.length)],
    ['Points', grouped(points)],
    ['Joints', grouped(liveJoints(skeleton).length)],
    ['Influences a point', most === 0 ? 'none' : `${mean.toFixed(1)} in the mean, ${most} at most`],
  ];
  return `<dl>${lines.map(([term, value]) => `<dt>${term}</dt><dd>${value}</dd>`).join('')}</dl>`;
}

const deliveredSection = (delivered: NonNullable<ReportPageOptions['delivered']>): string =>
  delivered.length === 0
    ? ''
    : section(
        'Delivered',
        delivered.length,
        '',
        delivered.map(
          ({ at, file, words }) =>
            `<tr><td>${at.toISOString().slice(0, 16).replace('T', ', ')}</td><td><strong>${text(file)}</strong><br>${text(words)}</td></tr>`,
        ),
      );

function limitSection({ limits, profile }: CharacterReport): string {
  const lines = limits.map(
    ({ isMet, words }) =>
      `<tr class="${isMet ? 'settled' : 'error'}"><td>${isMet ? 'Holds' : 'Fails'}</td><td>${text(words)}</td></tr>`,
  );
  return section(`Limits of “${text(profile.name)}”`, lines.length, 'There are none.', lines);
}

function findingLine({ code, severity, message, settled }: Finding): string {
  const { title, means } = FINDING_WORDS[code];
  const [mark, look] = settled ? ['Mended', 'settled'] : [SEVERITY[severity], severity];
  const note = settled ? ' Put right here; the file that came still says it.' : '';
  return `<tr class="${look}"><td>${mark}</td><td><strong>${text(title)}</strong><br>${text(message)} <span class="faint">${text(means)}${note}</span></td></tr>`;
}

function strayLines({ skeleton, parts }: Character, { strays }: CharacterReport): string[] {
  return strays.map(
    ({ kind, joint, part, points, movement }) =>
      `<tr><td>${text(parts[part].name)}</td><td>${text(strayWords(kind, skeleton.joints[joint].name, points.length))}</td><td class="number">${movement.toPrecision(2)}</td></tr>`,
  );
}

function bendFigure(character: Character, bend: ReportedBend, encode: ReportPageOptions['encode']): string {
  const { title, words } = bendWords(character, bend);
  return `<figure><img src="${encode(pictureOf(character, bend.surface, 320, 240))}" alt="${text(title)}"><figcaption><strong>${text(title)}</strong><br>${text(words)}</figcaption></figure>`;
}

function bendTable(character: Character, bends: readonly ReportedBend[]): string {
  const lines = bends.map((bend) => {
    const { title, words } = bendWords(character, bend);
    return `<tr><td>${text(title)}</td><td>${text(words)}</td></tr>`;
  });
  return table(lines);
}

function bendWords({ skeleton, rows }: Character, { trial }: ReportedBend): { title: string; words: string } {
  const { at, figures: found } = trial.poses[worstPose(trial, REPORT_ORDER)];
  const where =
    found.stretched && skeleton.joints[rulerOf(skeleton, rows, trial.joint, found.stretched)].name;
  const pose = 'angles' in at ? angleWords(at.angles) : `at ${at.seconds.toFixed(2)} s`;
  return {
    title: `${skeleton.joints[trial.joint].name}, ${pose}`,
    words: figureWords(found, { order: REPORT_ORDER, where }).join(', '),
  };
}

const section = (title: string, count: number, none: string, lines: readonly string[]): string =>
  `<section><h2>${title}</h2>${count === 0 ? `<p class="holds">${none}</p>` : table(lines)}</section>`;

function table(lines: readonly string[]): string {
  const rest = lines.length - MAX_LINES;
  return `<table>${lines.slice(0, MAX_LINES).join('')}</table>${rest > 0 ? `<p class="faint">and ${grouped(rest)} more</p>` : ''}`;
}
