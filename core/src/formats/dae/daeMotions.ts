import { CoreError } from '../../errors.ts';
import type { XmlElement } from '../xml/xmlTree.ts';
import { type DaeSources, inputNamed, inputsOf, wordsOfSource } from './daeSources.ts';
import { all, damaged, find, type DaeTree } from './daeTree.ts';
import { type DaeTransform, matrixOf, type Parts, partsOf } from './daeTransforms.ts';

/** What a node does over time, key by key, in parts. */
export interface DaeTrack {
  readonly node: XmlElement;
  readonly times: Float32Array;
  readonly keys: readonly Parts[];
  readonly isStepped: boolean;
}

export interface DaeMotion {
  readonly name: string;
  readonly tracks: readonly DaeTrack[];
}

interface Channel {
  readonly node: XmlElement;
  readonly sid: string;
  /** Which of the transform's numbers; −1 for all. */
  readonly slot: number;
  readonly curve: Curve;
}

const MEMBERS: Readonly<Record<string, number | undefined>> = { X: 0, Y: 1, Z: 2, ANGLE: 3 };
/** Seconds between keys of a curve that is no straight line. */
const CURVED_STEP = 1 / 30;
/** Degrees between keys of a turn: a quaternion goes the shorter way. */
const MAX_TURN = 100;
const MAX_KEYS = 2_000_000;
const DAMAGED = 'Motions that are damaged are left out';

/**
 * Motions of nodes. Containers of animations are a motion each; what stands in none is one together; clips of the file are
 * parts of those in time.
 *
 * @param transformsOf a node's transforms at rest
 * @param notes told what is left out
 */
export function readMotions(
  tree: DaeTree,
  sources: DaeSources,
  transformsOf: (node: XmlElement) => readonly DaeTransform[] | undefined,
  notes: string[],
): DaeMotion[] {
  const tops = tree.library('library_animations', 'animation');
  const channels = new Map(tops.map((top) => [top, channelsOf(tree, sources, top, notes)]));
  const budget = { keys: MAX_KEYS };
  const motion = (name: string, list: readonly Channel[], from = -Infinity, to = Infinity): DaeMotion[] => {
    const found = tracksOf(list, transformsOf, from, to, budget);
    const tracks = fromZero(found, Number.isFinite(from) ? from : undefined);
    return tracks.length === 0 ? [] : [{ name, tracks }];
  };
  const clips = tree.library('library_animation_clips', 'animation_clip').flatMap((clip, i) => {
    const own = all(clip, 'instance_animation').flatMap(({ attributes }) => {
      const target = tree.target(attributes.url);
      return target ? (channels.get(target) ?? channelsOf(tree, sources, target, notes)) : [];
    });
    const [start, end] = [Number(clip.attributes.start ?? 0), Number(clip.attributes.end ?? Infinity)];
    if (!(end > start)) return [];
    return motion(clip.attributes.name ?? clip.attributes.id ?? `clip ${i + 1}`, own, start, end);
  });
  if (clips.length > 0) return clips;
  const isContainer = (top: XmlElement): boolean => find(top, 'animation') !== undefined;
  const loose = tops.filter((top) => !isContainer(top)).flatMap((top) => channels.get(top) ?? []);
  return [
    ...tops.filter(isContainer).flatMap((top, i) => {
      const name = top.attributes.name ?? top.attributes.id ?? `motion ${i + 1}`;
      return motion(name, channels.get(top) ?? []);
    }),
    ...motion('motion', loose),
  ];
}

function channelsOf(tree: DaeTree, sources: DaeSources, animation: XmlElement, notes: string[]): Channel[] {
  const own = all(animation, 'channel').flatMap((channel): Channel[] => {
    const [id, address = ''] = (channel.attributes.target ?? '').split('/');
    const node = tree.target(id);
    if (!node || address === '' || node.name !== 'node') {
      if (node)
        notes.push(
          `A motion of “${(channel.attributes.target ?? '').slice(0, 60)}” is left out: it moves no node.`,
        );
      return [];
    }
    const { sid, slot } = addressOf(address);
    try {
      const curve = readCurve(tree, sources, tree.need(channel.attributes.source, channel));
      return curve.times.length === 0 ? [] : [{ node, sid, slot, curve }];
    } catch (error) {
      // A character is there without its motions.
      if (!(error instanceof CoreError)) throw error;
      if (!notes.some((note) => note.startsWith(DAMAGED))) notes.push(`${DAMAGED}: ${error.message}`);
      return [];
    }
  });
  return [...own, ...all(animation, 'animation').flatMap((each) => channelsOf(tree, sources, each, notes))];
}

/** A transform's own name, and which of its numbers is meant: by a letter, by one index, or by row and column; −1 for all. */
function addressOf(address: string): { sid: string; slot: number } {
  const sid = /^[^.(]*/.exec(address)?.[0] ?? '';
  const member = /\.(\w+)$/.exec(address)?.[1];
  if (member !== undefined) return { sid, slot: MEMBERS[member] ?? -1 };
  const indices = [...address.matchAll(/\((\d+)\)/g)].map((match) => Number(match[1]));
  if (indices.length === 0) return { sid, slot: -1 };
  return { sid, slot: indices.length === 1 ? indices[0] : indices[0] * 4 + indices[1] };
}

interface Curve {
  readonly times: Float32Array;
  readonly values: Float32Array;
  readonly width: number;
  readonly kinds: readonly string[];
  readonly inTangents?: Float32Array;
  readonly outTangents?: Float32Array;
}

function readCurve(tree: DaeTree, sources: DaeSources, sampler: XmlElement): Curve {
  const inputs = inputsOf(tree, sampler);
  const [input, output] = [inputNamed(inputs, 'INPUT'), inputNamed(inputs, 'OUTPUT')];
  if (!input || !output) throw damaged(sampler, 'it has no times, or no values');
  const times = sources.numbers(input).values;
  const { values, width, count } = sources.numbers(output);
  if (count < times.length) throw damaged(sampler, `it has ${times.length} times and ${count} values`);
  if (times.some((time, i) => !Number.isFinite(time) || (i > 0 && time < times[i - 1])))
    throw damaged(sampler, 'its times do not rise');
  const named = inputNamed(inputs, 'INTERPOLATION');
  const tangents = (semantic: string): Float32Array | undefined => {
    const source = inputNamed(inputs, semantic);
    const read = source && sources.numbers(source);
    // With a time and a value each; other forms are taken as straight lines.
    return read?.width === 2 && width === 1 && read.count >= times.length ? read.values : undefined;
  };
  return {
    ...{ times, values, width, kinds: named ? wordsOfSource(named).words : [] },
    ...{ inTangents: tangents('IN_TANGENT'), outTangents: tangents('OUT_TANGENT') },
  };
}

function tracksOf(
  channels: readonly Channel[],
  transformsOf: (node: XmlElement) => readonly DaeTransform[] | undefined,
  from: number,
  to: number,
  budget: { keys: number },
): (Omit<DaeTrack, 'times'> & { times: Float64Array })[] {
  const byNode = new Map<XmlElement, Channel[]>();
  for (const channel of channels) {
    const own = byNode.get(channel.node);
    if (own) own.push(channel);
    else byNode.set(channel.node, [channel]);
  }
  return [...byNode].flatMap(([node, own]) => {
    const rest = transformsOf(node);
    const known = own.filter(({ sid }) => rest?.some((one) => one.sid === sid));
    if (!rest || known.length === 0) return [];
    const times = within(timesOf(known), from, to);
    if (times.length === 0) return [];
    budget.keys -= times.length;
    if (budget.keys < 0)
      throw new CoreError('file-too-large', 'The motions of this file have more than 2,000,000 keys.', {
        where: 'library_animations',
      });
    const keys = times.map((time) => partsOf(matrixOf(posed(rest, known, time))));
    const isStepped = known.every(
      ({ curve }) => curve.kinds.length > 0 && curve.kinds.every((kind) => kind === 'STEP'),
    );
    return [{ node, times: Float64Array.from(times), keys, isStepped }];
  });
}

/** Times of keys between two, and these two where keys lie beyond them. */
function within(times: readonly number[], from: number, to: number): number[] {
  const inside = times.filter((time) => time > from && time < to);
  const [first, last] = [times[0], times[times.length - 1]];
  return [...(first <= from ? [from] : []), ...inside, ...(last >= to ? [to] : [])];
}

/**
 * Tracks as glTF has them: from zero on, and each key later than the one before it in single precision too.
 * @param start what becomes zero; undefined for the earliest key, if that is below
 */
function fromZero(
  tracks: readonly (Omit<DaeTrack, 'times'> & { times: Float64Array })[],
  start?: number,
): DaeTrack[] {
  const zero = start ?? Math.min(0, ...tracks.map(({ times }) => times[0]));
  return tracks.map(({ times, keys, ...rest }) => {
    const moved = Float32Array.from(times, (time) => time - zero);
    const kept = [...moved.keys()].filter((i) => i === 0 || moved[i] > moved[i - 1]);
    return { ...rest, times: Float32Array.from(kept, (i) => moved[i]), keys: kept.map((i) => keys[i]) };
  });
}

/** A node's transforms at a time. */
function posed(rest: readonly DaeTransform[], channels: readonly Channel[], time: number): DaeTransform[] {
  const now = rest.map((one) => ({ ...one, values: one.values.slice() }));
  for (const { sid, slot, curve } of channels) {
    const one = now.find((each) => each.sid === sid);
    if (!one) continue;
    const value = sampled(curve, time);
    // A turn that is given whole may be its angle alone.
    const at = slot >= 0 ? slot : one.kind === 'rotate' && curve.width === 1 ? 3 : 0;
    for (let k = 0; k < value.length && at + k < one.values.length; k++) one.values[at + k] = value[k];
  }
  return now;
}

/** When keys are needed: those of all curves, and between them where a straight line would say something else. */
function timesOf(channels: readonly Channel[]): number[] {
  const times = new Set<number>();
  for (const { sid, slot, curve } of channels) {
    curve.times.forEach((time, i) => {
      times.add(time);
      if (i + 1 === curve.times.length) return;
      const span = curve.times[i + 1] - time;
      const isCurved = curve.kinds[i] === 'BEZIER' && curve.outTangents && curve.inTangents;
      const isTurn = curve.width === 1 && (slot === 3 || /rot/i.test(sid));
      const turn = isTurn ? Math.abs(curve.values[i + 1] - curve.values[i]) : 0;
      const steps = Math.min(
        1000,
        Math.max(isCurved ? Math.ceil(span / CURVED_STEP - 1e-6) : 1, Math.ceil(turn / MAX_TURN)),
      );
      for (let k = 1; k < steps; k++) times.add(time + (span * k) / steps);
    });
  }
  return [...times].sort((a, b) => a - b);
}

function sampled({ times, values, width, kinds, inTangents, outTangents }: Curve, time: number): number[] {
  const last = times.length - 1;
  const at = (key: number): number[] => Array.from(values.subarray(key * width, key * width + width));
  if (time <= times[0]) return at(0);
  if (time >= times[last]) return at(last);
  let [key, above] = [0, last];
  while (above - key > 1) {
    const middle = (key + above) >> 1;
    if (times[middle] <= time) key = middle;
    else above = middle;
  }
  const span = times[key + 1] - times[key];
  if (kinds[key] === 'STEP' || span <= 0) return at(key);
  if (kinds[key] === 'BEZIER' && inTangents && outTangents) {
    const [x1, y1] = [outTangents[key * 2], outTangents[key * 2 + 1]];
    const [x2, y2] = [inTangents[key * 2 + 2], inTangents[key * 2 + 3]];
    const s = whenOn([times[key], x1, x2, times[key + 1]], time);
    return [bezier([values[key], y1, y2, values[key + 1]], s)];
  }
  const share = (time - times[key]) / span;
  const [a, b] = [at(key), at(key + 1)];
  return a.map((x, k) => x + (b[k] - x) * share);
}

type Four = readonly [number, number, number, number];

const bezier = ([a, b, c, d]: Four, s: number): number =>
  (1 - s) ** 3 * a + 3 * (1 - s) ** 2 * s * b + 3 * (1 - s) * s ** 2 * c + s ** 3 * d;

/** Where on a curve of times a time is, by halving: times on it rise. */
function whenOn(times: Four, time: number): number {
  let [low, high] = [0, 1];
  for (let i = 0; i < 40; i++) {
    const middle = (low + high) / 2;
    if (bezier(times, middle) < time) low = middle;
    else high = middle;
  }
  return (low + high) / 2;
}
