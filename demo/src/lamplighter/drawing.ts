import { along, at, closedPath, limb, type Place, type Stop } from './outline.ts';

export const PAGE_WIDTH = 600;
export const PAGE_HEIGHT = 900;

/** Where the lamplighter's joints are on the page, in pixels. */
export const JOINTS = {
  hips: at(292, 520),
  spine: at(296, 440),
  chest: at(302, 350),
  neck: at(308, 290),
  head: at(314, 250),
  hat: at(318, 180),
  shoulder_front: at(282, 336),
  elbow_front: at(240, 430),
  wrist_front: at(272, 520),
  shoulder_back: at(326, 336),
  elbow_back: at(392, 404),
  wrist_back: at(452, 338),
  pole: at(462, 330),
  lantern: at(470, 128),
  hip_front: at(276, 530),
  knee_front: at(268, 676),
  ankle_front: at(262, 818),
  hip_back: at(312, 530),
  knee_back: at(330, 674),
  ankle_back: at(318, 818),
} as const;

export type JointName = keyof typeof JOINTS;

const stop = ({ x, y }: Place, width: number): Stop => ({ x, y, width });

/** A limb with points at its bend and on both sides of it; none there where `bare`. */
function bentLimb(from: Stop, bend: Stop, to: Stop, bare = false): string {
  return closedPath(
    limb(
      bare
        ? [from, to]
        : [from, ...along(from, bend, [0.5, 0.85]), bend, ...along(bend, to, [0.15, 0.5]), to],
    ),
  );
}

interface LayerSource {
  readonly name: string;
  readonly shapes: readonly string[];
}

const path = (d: string, fill: string, more = ''): string => `<path d="${d}" fill="${fill}"${more}/>`;

/** From back to front. */
function layers(faults: boolean): LayerSource[] {
  const j = JOINTS;
  return [
    { name: 'glow', shapes: ['<circle cx="470" cy="150" r="120" fill="url(#glow)"/>'] },
    { name: 'pole', shapes: ['<rect x="458" y="118" width="9" height="742" rx="4" fill="#3a2b2f"/>'] },
    {
      name: 'lantern',
      shapes: [
        path(
          closedPath([at(446, 122, true), at(494, 122, true), at(486, 190, true), at(454, 190, true)]),
          'url(#glass)',
        ),
        path(closedPath([at(440, 122, true), at(470, 92, true), at(500, 122, true)]), '#3a2b2f'),
        '<rect x="450" y="188" width="40" height="9" rx="3" fill="#3a2b2f"/>',
        '<polyline points="470,122 470,190" fill="none" stroke="#3a2b2f" stroke-width="4"/>',
      ],
    },
    {
      name: 'arm back',
      shapes: [
        path(bentLimb(stop(j.shoulder_back, 52), stop(j.elbow_back, 40), stop(j.wrist_back, 30)), '#4a3b58'),
      ],
    },
    {
      name: 'hand back',
      shapes: [
        path(
          closedPath(limb([stop(at(446, 344), 26), stop(at(462, 330), 30), stop(at(476, 318), 22)])),
          '#d8b08c',
        ),
      ],
    },
    {
      name: 'leg back',
      shapes: [
        path(bentLimb(stop(j.hip_back, 72), stop(j.knee_back, 50), stop(j.ankle_back, 36)), '#2f3550'),
      ],
    },
    { name: 'boot back', shapes: [path(boot(318, 818), '#221d2b')] },
    {
      name: 'hand front',
      shapes: [
        path(
          closedPath(limb([stop(at(268, 512), 26), stop(at(276, 532), 30), stop(at(280, 552), 20)])),
          '#e3bd99',
        ),
      ],
    },
    {
      name: 'leg front',
      shapes: [
        path(bentLimb(stop(j.hip_front, 78), stop(j.knee_front, 54), stop(j.ankle_front, 38)), '#394063'),
      ],
    },
    { name: 'boot front', shapes: [path(boot(262, 818), '#2b2436')] },
    {
      name: 'coat tail',
      shapes: [
        path(
          closedPath([
            at(254, 500),
            at(222, 590),
            at(206, 668, true),
            at(262, 650),
            at(318, 672, true),
            at(332, 590),
            at(334, 500),
          ]),
          '#51406b',
        ),
      ],
    },
    {
      name: 'coat',
      shapes: [
        path(
          closedPath([
            at(276, 300),
            at(254, 350),
            at(250, 430),
            at(246, 520),
            at(240, 604, true),
            at(290, 612),
            at(344, 600, true),
            at(344, 520),
            at(346, 430),
            at(346, 350),
            at(332, 300),
            at(304, 290),
          ]),
          'url(#cloth)',
        ),
        '<polyline points="306,306 310,420 306,590" fill="none" stroke="#33264a" stroke-width="4" stroke-linecap="round"/>',
        '<circle cx="322" cy="380" r="6" fill="#d9a441"/>',
        '<circle cx="322" cy="440" r="6" fill="#d9a441"/>',
        '<circle cx="322" cy="500" r="6" fill="#d9a441"/>',
      ],
    },
    {
      name: 'scarf',
      shapes: [
        path(
          closedPath([at(272, 296), at(262, 276), at(300, 264), at(346, 272), at(348, 294), at(312, 308)]),
          '#b5533c',
        ),
        path(
          closedPath([
            at(268, 288),
            at(238, 330),
            at(222, 392, true),
            at(246, 388, true),
            at(262, 340),
            at(288, 300),
          ]),
          '#a04632',
        ),
      ],
    },
    {
      name: 'head',
      shapes: [
        path(
          closedPath([
            at(270, 250),
            at(264, 214),
            at(284, 184),
            at(322, 178),
            at(354, 196),
            at(362, 220),
            at(394, 236),
            at(390, 250),
            at(360, 254),
            at(350, 276),
            at(312, 286),
            at(284, 276),
          ]),
          '#e3bd99',
        ),
        '<ellipse cx="344" cy="218" rx="5" ry="7" fill="#2b2436"/>',
      ],
    },
    {
      name: 'beard',
      shapes: [
        path(
          closedPath([
            at(284, 252),
            at(318, 258),
            at(362, 250),
            at(366, 276),
            at(340, 318, true),
            at(306, 300),
          ]),
          '#cfc7bd',
        ),
      ],
    },
    {
      name: 'hat',
      shapes: [
        path(
          closedPath([
            at(276, 184),
            at(274, 120),
            at(286, 84, true),
            at(352, 80, true),
            at(356, 120),
            at(362, 180),
            at(318, 190),
          ]),
          '#2b2436',
        ),
        path(
          closedPath([
            at(240, 184),
            at(280, 174),
            at(318, 178),
            at(366, 170),
            at(404, 180),
            at(366, 196),
            at(316, 200),
            at(268, 198),
          ]),
          '#352c42',
        ),
      ],
    },
    {
      name: 'hat band',
      shapes: [
        path(
          closedPath([at(276, 160, true), at(360, 156, true), at(362, 172, true), at(276, 178, true)]),
          '#b5533c',
        ),
      ],
    },
    {
      name: 'arm front',
      shapes: [
        path(
          bentLimb(stop(j.shoulder_front, 58), stop(j.elbow_front, 44), stop(j.wrist_front, 32), faults),
          '#5d4a7a',
        ),
      ],
    },
  ];
}

function boot(x: number, y: number): string {
  return closedPath([
    at(x - 22, y - 24),
    at(x - 26, y + 10),
    at(x - 24, y + 42, true),
    at(x + 66, y + 42, true),
    at(x + 70, y + 24),
    at(x + 40, y + 8),
    at(x + 22, y - 8),
    at(x + 20, y - 26),
  ]);
}

const DEFS = `<defs>
<radialGradient id="glow"><stop offset="0" stop-color="#ffd98a" stop-opacity="0.75"/><stop offset="1" stop-color="#ffd98a" stop-opacity="0"/></radialGradient>
<linearGradient id="glass" x1="0" y1="0" x2="0" y2="1"><stop offset="0" stop-color="#fff1c4"/><stop offset="1" stop-color="#f2b441"/></linearGradient>
<linearGradient id="cloth" x1="0" y1="0" x2="1" y2="1"><stop offset="0" stop-color="#6a5488"/><stop offset="1" stop-color="#43345e"/></linearGradient>
</defs>`;

/** The lamplighter as a drawing in layers, before anybody has given it joints; with faults an elbow has no points. */
export function makeLamplighterDrawing(faults = false): string {
  const groups = layers(faults).map(
    ({ name, shapes }) => `<g id="${name.replace(' ', '_')}" aria-label="${name}">${shapes.join('')}</g>`,
  );
  return `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 ${PAGE_WIDTH} ${PAGE_HEIGHT}" width="${PAGE_WIDTH}" height="${PAGE_HEIGHT}">${DEFS}<g aria-label="lamplighter">${groups.join('\n')}</g></svg>\n`;
}
