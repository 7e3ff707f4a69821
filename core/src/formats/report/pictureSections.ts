import {
  drawPicture,
  drawSkeleton,
  drawWeights,
  type Picture,
  rasterize,
} from '../../analysis/picture/index.ts';
import { type Character, counted } from '../../document/index.ts';
import { liveJoints, restPlaces } from '../../skeleton/skeleton.ts';
import type { CharacterReport } from './characterReport.ts';
import { text } from './text.ts';

type Encode = (picture: Picture) => string;

/** Small pictures are this large, in pixels. */
const WIDTH = 120;
const HEIGHT = 144;
/** So many joints and parts are drawn; those with most weight, and the largest. */
const MAX_JOINTS = 120;
const MAX_PARTS = 40;

/** The skeleton, the parts, and the weights of each joint, as pictures; nothing of a drawing, whose layers are seen above. */
export function pictureSections(character: Character, { atRest }: CharacterReport, encode: Encode): string {
  const { parts, skeleton, drawing } = character;
  if (drawing || atRest.length === 0) return '';
  const joints = liveJoints(skeleton);
  return [partSection(), joints.length === 0 ? '' : skeletonSection(), jointSection()].join('');

  function partSection(): string {
    if (parts.length < 2) return '';
    const largest = [...parts.keys()]
      .sort((a, b) => parts[b].pointCount - parts[a].pointCount)
      .slice(0, MAX_PARTS);
    const figures = largest.map((part) => {
      const picture = drawPicture([atRest[part]], WIDTH, HEIGHT);
      return figure(encode(picture), parts[part].name, counted(parts[part].pointCount, 'point'));
    });
    return gallery('Parts', figures);
  }

  function skeletonSection(): string {
    const raster = rasterize(atRest, 2 * WIDTH, 2 * HEIGHT);
    const bare = drawWeights(raster, new Float32Array(totalPoints(character)));
    const places = restPlaces(skeleton);
    const all = skeleton.joints.map((_, joint) => [...places.subarray(joint * 3, joint * 3 + 3)]);
    const parents = skeleton.joints.map(({ parent, removed }) => (removed ? -1 : parent));
    const picture = encode(drawSkeleton(bare, raster, all, parents));
    return `<section><h2>Skeleton</h2><img src="${picture}" alt="The skeleton" width="${2 * WIDTH}"></section>`;
  }

  function jointSection(): string {
    const columns = weightsByJoint(character);
    if (columns.length === 0) return '';
    const raster = rasterize(atRest, WIDTH, HEIGHT);
    const figures = columns.slice(0, MAX_JOINTS).map(({ joint, weights, mass }) => {
      const points = counted(Math.max(1, Math.round(mass)), 'point');
      return figure(encode(drawWeights(raster, weights)), skeleton.joints[joint].name, `about ${points}`);
    });
    const rest = columns.length - MAX_JOINTS;
    return (
      gallery('Weights, joint by joint', figures) + (rest > 0 ? `<p class="faint">and ${rest} more</p>` : '')
    );
  }
}

const totalPoints = ({ parts }: Character): number =>
  parts.reduce((sum, { pointCount }) => sum + pointCount, 0);

/** By joint that has some: its weight on all points, the joint with most of it first. */
function weightsByJoint(character: Character): { joint: number; weights: Float32Array; mass: number }[] {
  const total = totalPoints(character);
  const columns = new Map<number, { joint: number; weights: Float32Array; mass: number }>();
  let first = 0;
  for (const { joints, values, stride, pointCount } of character.rows) {
    for (let i = 0; i < values.length; i++) {
      if (values[i] === 0) continue;
      let own = columns.get(joints[i]);
      if (!own)
        columns.set(joints[i], (own = { joint: joints[i], weights: new Float32Array(total), mass: 0 }));
      own.weights[first + Math.floor(i / stride)] = values[i];
      own.mass += values[i];
    }
    first += pointCount;
  }
  return [...columns.values()].sort((a, b) => b.mass - a.mass || a.joint - b.joint);
}

const figure = (source: string, name: string, words: string): string =>
  `<figure><img src="${source}" alt="${text(name)}"><figcaption><strong>${text(name)}</strong><br>${text(words)}</figcaption></figure>`;

const gallery = (title: string, figures: readonly string[]): string =>
  `<section><h2>${title}</h2><div class="gallery">${figures.join('')}</div></section>`;
