/** Every colour of the product, once. Values are sRGB. Light is paper by day, dark is night practice. */
export interface Tokens {
  readonly paper: string;
  readonly sheet: string;
  readonly ink: string;
  readonly faint: string;
  readonly hairline: string;
  readonly accent: string;
  /** The accent where it is read: darker by day, lighter by night. */
  readonly accentText: string;
  readonly holds: string;
  readonly fails: string;
  readonly clay: string;
  /** Light at the rim of the model: black for none. */
  readonly glow: string;
  /** Bones and joints: seen on clay, on every weight, and on paper. */
  readonly bone: string;
  /** The handles' three axes: told apart by lightness too, and seen on clay and on paper. */
  readonly axisX: string;
  readonly axisY: string;
  readonly axisZ: string;
}

export const DAY: Tokens = {
  paper: '#F5F1E8',
  sheet: '#FBF9F3',
  ink: '#1E2740',
  faint: '#5C6174',
  hairline: '#DCD5C5',
  accent: '#D9572B',
  accentText: '#B23F1A',
  holds: '#3C7A5B',
  fails: '#B3261E',
  clay: '#E4DBCB',
  glow: '#000000',
  bone: '#1E2740',
  axisX: '#D9572B',
  axisY: '#3B8D7B',
  axisZ: '#3A4C8C',
};

export const NIGHT: Tokens = {
  paper: '#171A23',
  sheet: '#1F2330',
  ink: '#E9E4D8',
  faint: '#9A9DAA',
  hairline: '#343A4B',
  accent: '#F0764A',
  accentText: '#F79A78',
  holds: '#6FBF95',
  fails: '#F2766D',
  clay: '#B9B0A0',
  glow: '#6A7690',
  bone: '#3358C4',
  axisX: '#F0764A',
  axisY: '#2F9C84',
  axisZ: '#6F86EA',
};

/** The Tide ramp: weight → colour, monotone in lightness. */
export const TIDE: readonly (readonly [number, string])[] = [
  [0, '#E4DBCB'],
  [0.12, '#DCD3A8'],
  [0.3, '#A9C3A0'],
  [0.5, '#6AA58F'],
  [0.68, '#34808A'],
  [0.84, '#1F5475'],
  [1, '#16264F'],
];

/** How far weights lie apart: clay where they agree, then monotone in lightness. */
export const APART: readonly (readonly [number, string])[] = [
  [0, '#E4DBCB'],
  [0.02, '#EBD3A4'],
  [0.25, '#E0803A'],
  [0.6, '#A5381D'],
  [1, '#430F12'],
];

/**
 * A joint's weight against what it was: more is warm as what is apart, less is cold; both darken, so that amounts are read
 * without colour too, and nothing but clay is no difference at all.
 */
export const LESS: readonly (readonly [number, string])[] = [
  [0, '#E4DBCB'],
  [0.02, '#B9CCD6'],
  [0.25, '#5B93B5'],
  [0.6, '#1F5475'],
  [1, '#0C1F3D'],
];

/** Strain: told apart by lightness too. */
export const STRAIN_COLOURS = { stretched: '#E0803A', squeezed: '#2B4C7E' } as const;

/** One colour a number of influences, none to eight: light to dark, and warm beyond the four that most engines take. */
export const COUNT_COLOURS: readonly string[] = [
  '#F2766D',
  '#E4DBCB',
  '#A9C3A0',
  '#6AA58F',
  '#34808A',
  '#D9572B',
  '#B8431C',
  '#8F3114',
  '#6B220C',
];

/** Colours of joints, told apart by hue and lightness: the first twelve serve most bodies. */
export const JOINT_COLOURS: readonly string[] = [
  '#C8553D',
  '#2F6F8F',
  '#D9A441',
  '#5B8C5A',
  '#7A4E7E',
  '#E08E79',
  '#3F4E7A',
  '#A3B86C',
  '#B0757C',
  '#4FA3A5',
  '#8C6D46',
  '#9DA3C9',
  '#E2E3EF',
  '#1E253A',
  '#6A2E2E',
  '#E8D37A',
  '#8FD0C8',
  '#2E4337',
  '#456848',
  '#E9BBB1',
  '#914134',
  '#7983A2',
  '#4A3353',
  '#604D2D',
];
