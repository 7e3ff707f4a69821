import type { Accessor } from '@gltf-transform/core';
import { mat4 } from 'gl-matrix';
import { sampleTrack, type Track } from '../../animation/clip.ts';
import type { GltfAnimation, GltfJson } from '../gltf/gltfJson.ts';
import { localParts } from '../gltf/nodePlaces.ts';
import { singlesText } from './numberText.ts';
import { element, type XmlIds } from './xmlText.ts';

/** Between keys a matrix goes straight and a turn does not: so many are written a second. */
const RATE = 30;
const MAX_KEYS = 20_000;

type Path = Track['path'];
type Curves = Partial<Record<Path, Track>>;

/** Motions of nodes: a container a clip, in it the matrix of each node that moves, key by key. */
export function daeMotions(
  json: GltfJson,
  accessors: readonly Accessor[],
  nodeIds: readonly string[],
  ids: XmlIds,
): { animations: string[]; clips: string[] } {
  const [animations, clips]: [string[], string[]] = [[], []];
  (json.animations ?? []).forEach((animation, i) => {
    const name = animation.name ?? `clip ${i + 1}`;
    const id = ids.id(`${name}-motion`);
    const byNode = curvesOf(animation, accessors);
    let end = 0;
    const own = [...byNode].map(([node, curves]) => {
      const times = timesOf(curves);
      end = Math.max(end, times[times.length - 1]);
      return animationOf(`${id}-${nodeIds[node]}`, nodeIds[node], times, matrices(json, node, curves, times));
    });
    if (own.length === 0) return;
    animations.push(element('animation', { id, name }, own));
    clips.push(
      element(
        'animation_clip',
        { id: `${id}-clip`, name, start: 0, end },
        element('instance_animation', { url: `#${id}` }),
      ),
    );
  });
  return { animations, clips };
}

function curvesOf(
  { channels, samplers }: GltfAnimation,
  accessors: readonly Accessor[],
): Map<number, Curves> {
  const byNode = new Map<number, Curves>();
  for (const { sampler, target } of channels) {
    const { node, path } = target;
    if (node === undefined || (path !== 'translation' && path !== 'rotation' && path !== 'scale')) continue;
    const { input, output, interpolation } = samplers[sampler];
    const [times, values] = [numbers(accessors[input]), numbers(accessors[output])];
    if (times.length === 0) continue;
    const kind = (interpolation ?? 'LINEAR') as Track['interpolation'];
    const curves = byNode.get(node) ?? {};
    curves[path] = { joint: 0, path, interpolation: kind, times, values };
    byNode.set(node, curves);
  }
  return byNode;
}

function numbers(accessor: Accessor): Float32Array {
  const size = accessor.getElementSize();
  const values = new Float32Array(accessor.getCount() * size);
  const own: number[] = [];
  for (let i = 0; i < accessor.getCount(); i++) values.set(accessor.getElement(i, own), i * size);
  return values;
}

/** All keys, and times between those that lie apart. */
function timesOf(curves: Curves): Float32Array {
  const keys = [...new Set(Object.values(curves).flatMap(({ times }) => [...times]))].sort((a, b) => a - b);
  const times = keys.flatMap((time, i) => {
    const next = keys.at(i + 1);
    const steps = next === undefined ? 1 : Math.max(1, Math.ceil((next - time) * RATE - 1e-3));
    return Array.from(
      { length: Math.min(steps, MAX_KEYS) },
      (_, k) => time + (((next ?? time) - time) * k) / steps,
    );
  });
  return Float32Array.from(times.slice(0, MAX_KEYS));
}

function matrices(json: GltfJson, node: number, curves: Curves, times: Float32Array): Float32Array {
  const rest = localParts((json.nodes ?? [])[node]);
  const all = new Float32Array(times.length * 16);
  const matrix = mat4.create();
  times.forEach((time, i) => {
    const at = (path: Path): number[] => {
      const curve = curves[path];
      return curve ? sampleTrack(curve, time) : [...rest[path]];
    };
    const [x, y, z, w] = at('rotation');
    const [translation, scale] = [
      at('translation') as [number, number, number],
      at('scale') as [number, number, number],
    ];
    mat4.fromRotationTranslationScale(matrix, [x, y, z, w], translation, scale);
    for (let k = 0; k < 16; k++) all[i * 16 + k] = matrix[(k % 4) * 4 + (k >> 2)];
  });
  return all;
}

function animationOf(id: string, node: string, times: Float32Array, values: Float32Array): string {
  const source = (
    own: string,
    inside: string,
    count: number,
    stride: number,
    name: string,
    type: string,
  ): string =>
    element(
      'source',
      { id: `${id}-${own}` },
      inside,
      element(
        'technique_common',
        {},
        element(
          'accessor',
          { source: `#${id}-${own}-array`, count, stride },
          element('param', { name, type }),
        ),
      ),
    );
  const array = (own: string, held: Float32Array): string =>
    element('float_array', { id: `${id}-${own}-array`, count: held.length }, singlesText(held));
  const kinds = Array.from(times, () => 'LINEAR').join(' ');
  const named = element('Name_array', { id: `${id}-kinds-array`, count: times.length }, kinds);
  const input = (semantic: string, own: string): string =>
    element('input', { semantic, source: `#${id}-${own}` });
  return element(
    'animation',
    { id },
    source('times', array('times', times), times.length, 1, 'TIME', 'float'),
    source('values', array('values', values), times.length, 16, 'TRANSFORM', 'float4x4'),
    source('kinds', named, times.length, 1, 'INTERPOLATION', 'name'),
    element('sampler', { id: `${id}-sampler` }, [
      input('INPUT', 'times'),
      input('OUTPUT', 'values'),
      input('INTERPOLATION', 'kinds'),
    ]),
    element('channel', { source: `#${id}-sampler`, target: `${node}/transform` }),
  );
}
