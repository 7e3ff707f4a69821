import type { Document } from '@gltf-transform/core';
import { quat } from 'gl-matrix';
import type { Joint } from '../../skeleton/skeleton.ts';
import {
  INTERPOLATIONS,
  type Clip,
  type Interpolation,
  type Track,
  type TrackPath,
} from '../../animation/clip.ts';
import type { PlainNode } from '../../skeleton/plainNodes.ts';
import type { GltfJson } from './gltfJson.ts';

const PATHS: Readonly<Record<string, TrackPath>> = {
  rotation: 'rotation',
  translation: 'translation',
  scale: 'scale',
};
/** Rates that clips are keyed at; what lies between is taken to the nearest. */
const RATES = [12, 15, 24, 25, 30, 50, 60];

/**
 * The motions of a file, as far as they move joints, or nodes that could be joints: what other nodes do is left out.
 */
export function readClips(
  document: Document,
  json: GltfJson,
  joints: readonly Joint[],
  plainNodes: readonly PlainNode[],
): Clip[] {
  const jointOfNode = new Map(joints.map(({ node }, joint) => [node, joint]));
  const plainOfNode = new Map(plainNodes.map((plain) => [plain.node, plain]));
  const animations = document.getRoot().listAnimations();
  return (json.animations ?? []).map(({ name, channels }, index) => {
    const read = animations[index]?.listChannels() ?? [];
    const all = channels.flatMap(({ target }, i): (Track & { node: number })[] => {
      const { node = -1 } = target;
      const joint = jointOfNode.get(node) ?? -1;
      const rest = joint >= 0 ? joints[joint] : plainOfNode.get(node);
      const path = PATHS[target.path] as Track['path'] | undefined;
      const sampler = read[i]?.getSampler();
      const times = floats(sampler?.getInput());
      const values = floats(sampler?.getOutput());
      if (!rest || !path || times.length === 0) return [];
      const interpolation = INTERPOLATIONS.find((one) => one === sampler?.getInterpolation()) ?? 'LINEAR';
      const width = path === 'rotation' ? 4 : 3;
      const keys = times.length * (interpolation === 'CUBICSPLINE' ? 3 : 1);
      if (values.length < keys * width || !times.every(Number.isFinite) || !values.every(Number.isFinite))
        return [];
      const away = fromRest(rest, path, interpolation, values);
      return [{ node, joint, path, interpolation, times, values: away }];
    });
    const tracks = all.filter(({ joint }) => joint >= 0).map(({ node: _, ...track }) => track);
    const nodeTracks = all.filter(({ joint }) => joint < 0).map(({ joint: _, ...track }) => track);
    const seconds = all.reduce((most, { times }) => Math.max(most, times[times.length - 1]), 0);
    return { name: name ?? `clip ${index + 1}`, seconds, rate: rateOf(all), tracks, nodeTracks };
  });
}

type Accessor = ReturnType<
  NonNullable<ReturnType<ReturnType<Document['createAnimation']>['listSamplers']>[number]>['getInput']
>;

/** Values of an accessor as numbers, also where the file has them as whole numbers. */
function floats(accessor: Accessor | undefined): Float32Array {
  if (!accessor) return new Float32Array(0);
  const size = accessor.getElementSize();
  const out = new Float32Array(accessor.getCount() * size);
  const element: number[] = [];
  for (let i = 0; i < accessor.getCount(); i++) out.set(accessor.getElement(i, element), i * size);
  return out;
}

/** Values as what a joint does away from rest. Tangents of turns go through the same product, which is linear. */
function fromRest(
  { rotation, translation, scale }: Pick<Joint, 'rotation' | 'translation' | 'scale'>,
  path: TrackPath,
  interpolation: Interpolation,
  values: Float32Array,
): Float32Array {
  const out = new Float32Array(values.length);
  const isTangent = (element: number): boolean => interpolation === 'CUBICSPLINE' && element % 3 !== 1;
  if (path === 'rotation') {
    const back = quat.conjugate(quat.create(), rotation);
    for (let i = 0; i < values.length; i += 4)
      out.set(quat.multiply(quat.create(), back, values.subarray(i, i + 4)), i);
    return out;
  }
  for (let i = 0; i < values.length; i++) {
    const tangent = isTangent(Math.floor(i / 3));
    if (path === 'translation') out[i] = tangent ? values[i] : values[i] - translation[i % 3];
    else out[i] = values[i] / (scale[i % 3] || 1);
  }
  return out;
}

function rateOf(tracks: readonly Pick<Track, 'times'>[]): number {
  let step = Infinity;
  for (const { times } of tracks)
    for (let i = 1; i < times.length; i++)
      if (times[i] - times[i - 1] > 1e-4) step = Math.min(step, times[i] - times[i - 1]);
  const rate = Number.isFinite(step) ? 1 / step : 30;
  // Sparse keys are looked at in between, too.
  if (rate < 11) return 30;
  return RATES.reduce((best, one) => (Math.abs(one - rate) < Math.abs(best - rate) ? one : best));
}
