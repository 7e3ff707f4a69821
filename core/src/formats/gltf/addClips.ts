import { quat } from 'gl-matrix';
import type { Clip, Track } from '../../animation/clip.ts';
import type { Joint } from '../../skeleton/skeleton.ts';
import { FLOAT, type BufferWriter } from './bufferWriter.ts';
import type { GltfAnimation, GltfJson } from './gltfJson.ts';

/** A clip of the file that leaves, and the motion that it is of. */
export interface WrittenClip {
  readonly animation: GltfAnimation;
  readonly clip: Clip;
}

/**
 * Adds clips of a character to its file: their tracks say what joints do away from rest, the file's what nodes do. A name
 * that is taken gets a number.
 *
 * @param nodeOfJoint by joint: its node; -1 for none
 * @returns those that move something
 */
export function addClips(
  writer: BufferWriter,
  json: GltfJson,
  joints: readonly Joint[],
  nodeOfJoint: readonly number[],
  clips: readonly Clip[],
): WrittenClip[] {
  const animations = (json.animations ??= []);
  const taken = new Set(animations.map(({ name }) => name));
  const written = clips.flatMap((clip): WrittenClip[] => {
    const animation: GltfAnimation = { name: freeName(clip.name, taken), channels: [], samplers: [] };
    addTracks(writer, json, joints, nodeOfJoint, animation, clip.tracks);
    return animation.channels.length > 0 ? [{ animation, clip }] : [];
  });
  animations.push(...written.map(({ animation }) => animation));
  if (animations.length === 0) delete json.animations;
  return written;
}

/**
 * Adds tracks to clips of the file.
 * @param animations the file's, as they came, those without a channel left among them
 * @param tracks     by clip of the file
 */
export function addTracksToClips(
  writer: BufferWriter,
  json: GltfJson,
  joints: readonly Joint[],
  nodeOfJoint: readonly number[],
  animations: readonly GltfAnimation[],
  tracks: readonly (readonly Track[])[],
): void {
  tracks.forEach((own, i) => {
    const animation = animations.at(i);
    if (!animation || own.length === 0) return;
    addTracks(writer, json, joints, nodeOfJoint, animation, own);
    json.animations ??= [];
    if (animation.channels.length > 0 && !json.animations.includes(animation))
      json.animations.push(animation);
  });
}

function addTracks(
  writer: BufferWriter,
  json: GltfJson,
  joints: readonly Joint[],
  nodeOfJoint: readonly number[],
  animation: GltfAnimation,
  tracks: readonly Track[],
): void {
  const inputs = new Map<Float32Array, number>();
  for (const track of tracks) {
    const node = nodeOfJoint[track.joint];
    if (node < 0 || joints[track.joint].removed) continue;
    splitMatrix(json, node, joints[track.joint]);
    const input = inputs.get(track.times) ?? appendTimes(writer, json, track.times);
    inputs.set(track.times, input);
    const width = track.path === 'rotation' ? 4 : 3;
    const values = fromJoint(joints[track.joint], track);
    const output = writer.append(values, FLOAT, `VEC${width}`, values.length / width);
    animation.samplers.push({ input, output, interpolation: track.interpolation });
    animation.channels.push({ sampler: animation.samplers.length - 1, target: { node, path: track.path } });
  }
}

function freeName(name: string, taken: Set<string | undefined>): string {
  let free = name;
  for (let i = 2; taken.has(free); i++) free = `${name} ${i}`;
  taken.add(free);
  return free;
}

/** A node that is moved must have its place in parts. */
function splitMatrix({ nodes = [] }: GltfJson, node: number, { translation, rotation, scale }: Joint): void {
  if (!nodes[node].matrix) return;
  const { matrix: _, ...rest } = nodes[node];
  nodes[node] = { ...rest, translation: [...translation], rotation: [...rotation], scale: [...scale] };
}

export function appendTimes(writer: BufferWriter, json: GltfJson, times: Float32Array): number {
  const index = writer.append(times, FLOAT, 'SCALAR', times.length);
  Object.assign(json.accessors?.[index] ?? {}, { min: [times[0]], max: [times[times.length - 1]] });
  return index;
}

/** Values of a track as the joint's node has them. */
function fromJoint(
  { translation, rotation, scale }: Joint,
  { path, interpolation, values }: Track,
): Float32Array {
  const isTangent = (element: number): boolean => interpolation === 'CUBICSPLINE' && element % 3 !== 1;
  if (path === 'rotation') {
    const out = new Float32Array(values.length);
    for (let i = 0; i < values.length; i += 4) {
      const turn = quat.multiply(quat.create(), rotation, values.subarray(i, i + 4));
      // Keys are of length one in the format; tangents are not.
      out.set(isTangent(i / 4) ? turn : quat.normalize(turn, turn), i);
    }
    return out;
  }
  return values.map((value, i) => {
    if (path === 'scale') return value * scale[i % 3];
    return isTangent(Math.floor(i / 3)) ? value : value + translation[i % 3];
  });
}
