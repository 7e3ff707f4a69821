import type { Accessor, Document } from '@gltf-transform/core';
import { type Clip, frameCount, frameSeconds, INTERPOLATIONS, sampleClip } from '../../animation/clip.ts';
import type { Character, CharacterPart } from '../../document/character.ts';
import { skinPart } from '../../document/skinPart.ts';
import { CoreError } from '../../errors.ts';
import type { Pose } from '../../skeleton/pose.ts';
import { restPlaces, type Skeleton } from '../../skeleton/skeleton.ts';
import type { GltfContainer } from './container.ts';
import { type Decoders, decodeGltf, readCharacter } from './readCharacter.ts';

/** Shapes that a character should have in poses of its own. */
export interface ShapeSequence {
  readonly poses: readonly Pose[];
  /** Frames that the file has; more than poses, where only some were taken. */
  readonly frames: number;
  /** The character's parts that have shapes. */
  readonly parts: readonly number[];
  /** Where a part's points should be in a pose: Float32Array, 3 a point, scene space. */
  at(part: number, pose: number): Float32Array;
}

/** So many frames are taken, evenly over all. */
export const MAX_SHAPES = 120;
/** Joints may rest apart by this share of the character's size. */
const SAME_REST = 1e-3;

/**
 * Reads shapes of the same points: frames of a file's clips, its parts morphed by the clips' own weights of their targets and
 * skinned as the file skins them, each with the pose that the file's joints have in it. Joints are known by their names, parts by
 * name and number of points.
 *
 * @throws CoreError file-unsupported, with a sentence, where points, joints or motions do not go together
 */
export async function readShapes(
  container: GltfContainer,
  own: Character,
  decoders: Decoders = {},
): Promise<ShapeSequence> {
  const [other, document] = [await readCharacter(container, decoders), await decodeGltf(container, decoders)];
  const jointOf = matchJoints(other.skeleton, own.skeleton);
  const partOf = matchParts(other.parts, own.parts);
  const morphs = other.parts.map((part) => readMorph(document, part));
  const frames = framesOf(other.clips, morphs);
  if (frames.length === 0) throw refused('It has no clip: shapes belong to the frames of a motion.');
  const step = Math.max(1, frames.length / MAX_SHAPES);
  const taken = Array.from(
    { length: Math.floor(frames.length / step) },
    (_, k) => frames[Math.floor(k * step)],
  );
  const theirs = taken.map(({ clip, seconds }) => sampleClip(other.clips[clip], seconds));
  return {
    frames: frames.length,
    parts: [...partOf.keys()],
    poses: theirs.map(
      (pose) =>
        Object.fromEntries(
          Object.entries(pose).flatMap(([joint, held]) => {
            const to = jointOf.get(Number(joint));
            return to === undefined ? [] : [[to, held]];
          }),
        ) as Pose,
    ),
    at(part, k) {
      const from = partOf.get(part);
      if (from === undefined) throw refused(`It has no shapes of “${own.parts[part].name}”.`);
      const { clip, seconds } = taken[k];
      const positions = morphed(other.parts[from].positions, morphs[from], clip, seconds);
      const parts = other.parts.map((each, i) => (i === from ? { ...each, positions } : each));
      return skinPart({ ...other, parts }, from, theirs[k], false).positions;
    },
  };
}

const refused = (sentence: string): CoreError =>
  new CoreError('file-unsupported', `These are no shapes of this character. ${sentence}`);

function matchJoints(theirs: Skeleton, own: Skeleton): Map<number, number> {
  const places = [restPlaces(theirs), restPlaces(own)];
  const size = Math.max(1e-9, ...places[1].map(Math.abs));
  const found = new Map<number, number>();
  theirs.joints.forEach(({ name }, joint) => {
    const to = own.joints.findIndex((each) => each.name === name && !each.removed);
    if (to < 0) return;
    const far = Math.hypot(...[0, 1, 2].map((k) => places[0][joint * 3 + k] - places[1][to * 3 + k]));
    if (far > SAME_REST * size)
      throw refused(`“${name}” rests elsewhere in it: both files need the same skeleton.`);
    found.set(joint, to);
  });
  if (found.size === 0) throw refused('None of its joints has the name of one here.');
  return found;
}

/** By part of the character: that of the file. */
function matchParts(theirs: readonly CharacterPart[], own: readonly CharacterPart[]): Map<number, number> {
  const found = new Map<number, number>();
  own.forEach(({ name, pointCount, role }, part) => {
    if (role !== 'skinned') return;
    const named = theirs.findIndex((each) => each.name === name);
    const from = named >= 0 || own.length !== theirs.length ? named : part;
    if (from < 0) return;
    if (theirs[from].pointCount !== pointCount)
      throw refused(
        `“${name}” has ${pointCount.toLocaleString('en')} points here and ${theirs[from].pointCount.toLocaleString('en')} there: shapes are of the same points.`,
      );
    found.set(part, from);
  });
  if (found.size === 0) throw refused('None of its parts has the name of one here.');
  return found;
}

/** What a part's targets do to its points, and how much of them clips take. */
interface Morph {
  /** Float32Array, 3 a point, a target each. */
  readonly targets: readonly Float32Array[];
  readonly base: readonly number[];
  /** By clip. */
  readonly tracks: readonly (MorphTrack | undefined)[];
}

interface MorphTrack {
  readonly times: Float32Array;
  readonly values: Float32Array;
  readonly interpolation: (typeof INTERPOLATIONS)[number];
}

function readMorph(document: Document, { source, vertexPoint, pointCount }: CharacterPart): Morph {
  const root = document.getRoot();
  const mesh = root.listMeshes()[source.mesh];
  const targets = mesh
    .listPrimitives()
    [source.primitive].listTargets()
    .map((target) => {
      const deltas = new Float32Array(pointCount * 3);
      const accessor = target.getAttribute('POSITION');
      const element: number[] = [];
      // Vertices on one point are moved alike.
      if (accessor)
        vertexPoint.forEach((p, v) => deltas.set(accessor.getElement(v, element).slice(0, 3), p * 3));
      return deltas;
    });
  const node = root.listNodes()[source.node];
  const tracks = root.listAnimations().map((animation): MorphTrack | undefined => {
    const channel = animation
      .listChannels()
      .find((each) => each.getTargetPath() === 'weights' && each.getTargetNode() === node);
    const sampler = channel?.getSampler();
    const [times, values] = [sampler?.getInput(), sampler?.getOutput()];
    if (!times || !values) return undefined;
    return {
      times: scalars(times),
      values: scalars(values),
      interpolation: INTERPOLATIONS.find((one) => one === sampler?.getInterpolation()) ?? 'LINEAR',
    };
  });
  const weights = node.getWeights();
  return { targets, base: weights.length > 0 ? weights : mesh.getWeights(), tracks };
}

const scalars = (accessor: Accessor): Float32Array =>
  Float32Array.from({ length: accessor.getCount() }, (_, i) => accessor.getScalar(i));

interface ShapeFrame {
  readonly clip: number;
  readonly seconds: number;
}

function framesOf(clips: readonly Clip[], morphs: readonly Morph[]): ShapeFrame[] {
  return clips.flatMap((clip, index) => {
    const ends = morphs.map(({ tracks }) => tracks.at(index)?.times.at(-1) ?? 0);
    const length = { seconds: Math.max(clip.seconds, ...ends), rate: clip.rate };
    return Array.from({ length: frameCount(length) }, (_, frame) => ({
      clip: index,
      seconds: frameSeconds(length, frame),
    }));
  });
}

function morphed(
  positions: Float32Array,
  { targets, base, tracks }: Morph,
  clip: number,
  seconds: number,
): Float32Array {
  const out = positions.slice();
  const track = tracks.at(clip);
  targets.forEach((deltas, t) => {
    const weight = track ? weightAt(track, targets.length, t, seconds) : (base.at(t) ?? 0);
    if (weight !== 0) for (let k = 0; k < out.length; k++) out[k] += weight * deltas[k];
  });
  return out;
}

/** How much of a target there is at a time (glTF 2.0 specification, appendix C). */
function weightAt(
  { times, values, interpolation }: MorphTrack,
  count: number,
  target: number,
  seconds: number,
): number {
  const isCubic = interpolation === 'CUBICSPLINE';
  const value = (key: number, part = 1): number =>
    values[isCubic ? (key * 3 + part) * count + target : key * count + target] ?? 0;
  const last = times.length - 1;
  if (seconds <= times[0]) return value(0);
  if (seconds >= times[last]) return value(last);
  let key = 0;
  while (times[key + 1] <= seconds) key++;
  if (interpolation === 'STEP') return value(key);
  const span = times[key + 1] - times[key];
  const t = (seconds - times[key]) / span;
  if (!isCubic) return value(key) + t * (value(key + 1) - value(key));
  const [t2, t3] = [t * t, t * t * t];
  return (
    (2 * t3 - 3 * t2 + 1) * value(key) +
    span * (t3 - 2 * t2 + t) * value(key, 2) +
    (-2 * t3 + 3 * t2) * value(key + 1) +
    span * (t3 - t2) * value(key + 1, 0)
  );
}
