import type { MeshChange } from '../mesh/meshChange.ts';
import type { SavedCage } from './cages.ts';
import { counted } from './finding.ts';
import type { PartFollows } from './partFollows.ts';
import type { RelaxedLook } from './relaxedLook.ts';
import type { ValueLine } from './values.ts';

/** What a kind of value is called where it changes; `{}` stands for the joint or part that it belongs to. */
const WORDS: Readonly<Record<string, string>> = {
  locks: 'Lock on {joint}',
  nonDeforming: 'Deforming of {joint}',
  pairs: 'Partner of {joint}',
  confines: 'Limits of {joint}',
  reaches: 'Reach of {joint}',
  ranges: 'Range of {joint}',
  pose: 'Pose of {joint}',
  parts: 'Part {part}',
  pieces: 'Piece of part {part}',
  skinning: 'Skinning',
  relaxing: 'Relaxing',
  up: 'Which way is up',
  dismissed: 'Dismissed stray',
  selections: 'Saved selection',
  masks: 'Mask',
  poses: 'Saved pose',
  dials: 'Dialled pose',
  motions: 'Motion',
  moments: 'Moment',
  shapes: 'Shape',
  shapeAmounts: 'Dialled shape',
  order: 'Order of the layers',
  orderRules: 'Order while a joint is turned',
  ribbons: 'Ribbon',
};

/** One changed value in words, with how it was and how it is: “Lock on neck 3: off, then on”. */
export function describeValue(
  { path, before, after }: ValueLine,
  jointName: (joint: number) => string,
): string {
  const [section, key, field] = path.split('/');
  if (field === 'follows')
    return `What part ${Number(key) + 1} follows: ${driverWords(before)}, then ${driverWords(after)}`;
  if (field === 'cage')
    return `Part ${Number(key) + 1}, a cage: ${cageWords(before)}, then ${cageWords(after)}`;
  if (field === 'mesh')
    return `Mesh of part ${Number(key) + 1}: ${meshWords(before)}, then ${meshWords(after)}`;
  if (section === 'moved') return `Points of part ${Number(key) + 1}, moved at rest`;
  const what = (WORDS[section] ?? path)
    .replace('{joint}', jointName(Number(key)))
    .replace('{part}', String(Number(key) + 1));
  const inWords = (value: ValueLine['before']): string =>
    section === 'pairs' ? partnerWords(value, Number(key), jointName) : valueWords(section, value);
  return `${what}: ${inWords(before)}, then ${inWords(after)}`;
}

function partnerWords(
  value: ValueLine['before'],
  joint: number,
  jointName: (joint: number) => string,
): string {
  if (typeof value !== 'number') return 'as found';
  if (value === joint) return 'itself';
  return value < 0 ? 'none' : jointName(value);
}

function valueWords(section: string, value: ValueLine['before']): string {
  if (section === 'confines') return value === null ? 'everywhere' : 'a saved selection';
  if (section === 'nonDeforming') return value === true ? 'off' : 'on';
  if (section === 'up') return typeof value === 'string' ? value : 'y';
  if (section === 'skinning') return value === 'dual' ? 'dual quaternion' : 'linear';
  if (section === 'relaxing') return relaxingWords(value as unknown as RelaxedLook | null);
  if (value === null) return section === 'locks' ? 'off' : 'none';
  if (value === true) return 'on';
  if (typeof value === 'string' || typeof value === 'number') return String(value);
  const name = (value as { readonly name?: unknown }).name;
  return typeof name === 'string' ? `“${name}”` : 'set';
}

const cageWords = (value: ValueLine['before']): string =>
  value ? counted((value as unknown as SavedCage).points, 'point') : 'none';

function driverWords(value: ValueLine['before']): string {
  if (!value) return 'nothing';
  const { driver, mask, isOff } = value as unknown as PartFollows;
  return [
    `part ${driver + 1}`,
    ...(mask === undefined ? [] : ['by a mask']),
    ...(isOff ? ['switched off'] : []),
  ].join(', ');
}

function meshWords(value: ValueLine['before']): string {
  if (!value) return 'as in the file';
  const { from, points } = value as unknown as MeshChange;
  return points === from ? 'changed' : `${points - from} points added`;
}

function relaxingWords(relaxing: RelaxedLook | null): string {
  if (!relaxing) return 'off';
  const { passes, strength, keepsVolume, selection } = relaxing;
  return [
    passes === 1 ? '1 pass' : `${passes} passes`,
    ...(strength < 1 ? [`${Math.round(strength * 100)}%`] : []),
    ...(keepsVolume ? ['volume kept'] : []),
    ...(selection === undefined ? [] : ['in a saved selection']),
  ].join(', ');
}
