import { findMotionRanges, rangePoses, type RangePose } from '../../animation/motionRange.ts';
import type { CheckInput } from '../../document/checkInput.ts';
import type { Finding } from '../../document/finding.ts';
import { skinPart } from '../../document/skinPart.ts';
import {
  isInside,
  pageBox,
  placeSamples,
  sampleShape,
  signedArea,
  type ClosedLines,
  type Drawing,
} from '../../drawing/index.ts';
import { REST_POSE, type Pose } from '../../skeleton/pose.ts';
import { subtreeOf } from '../../skeleton/skeleton.ts';
import type { WeightRows } from '../../weights/rows.ts';

/** A layer goes along with a joint if this much of its weight does, and stays if no more than this does. */
const GOES = 0.9;
const STAYS = 0.5;
/** The root of a limb is what lies so near to its joint, in widths of the smaller layer. */
const ROOT = 0.9;
/** What was hidden shows if it comes out by more than this, in the same widths. */
const SHOWS = 0.12;
/** Outlines are followed in so many places a layer's size. */
const FINE = 50;
/** Joints are looked at in their range as far as bends go that a drawing is made for, in degrees. */
const USUAL = 45;

/**
 * Seams that gape: a limb's layer turns about a joint that lies in it and in the layer over it, and its root, hidden at
 * rest, comes out from under that. Layers lie as in the file; ranges are those that joints have by their kind.
 */
export function findGapingSeams(input: CheckInput): Finding[] {
  const { drawing, skeleton, places, pairs, rows } = input;
  if (!drawing) return [];
  const masses = rows.map((own) => massesOf(own, skeleton.joints.length));
  const moves = (joint: number): boolean => masses.some((mass) => mass[joint] > 0);
  const ranges = findMotionRanges(skeleton, places, pairs, moves, {}, true);
  const looks = drawing.layers.map((_, i) => new LayerLook(input, drawing, i));
  return ranges.flatMap((range): Finding[] => {
    const { joint } = range;
    const { parent } = skeleton.joints[joint];
    if (parent < 0) return [];
    const [x, y] = [places[joint * 3], places[joint * 3 + 1]];
    const below = subtreeOf(skeleton, joint);
    const here = looks.filter((look) => look.covers(REST_POSE, x, y));
    const share = (look: LayerLook): number => shareOf(masses[look.index], below);
    const goes = here.filter((look) => share(look) >= GOES);
    const stays = here.filter((look) => share(look) <= STAYS);
    const poses = rangePoses(range).filter(({ angles }) => Math.abs(angles.bend) <= USUAL);
    let worst: Gap | undefined;
    // What hangs on the joint and lies under what its parent moves: a sibling limb hides nothing.
    for (const back of goes.filter((look) => look.hasRootAt(x, y)))
      for (const front of stays.filter(({ index }) => index > back.index && masses[index][parent] > 0)) {
        const gap = widest(back, front, [x, y], poses);
        if (gap && (!worst || gap.share > worst.share)) worst = gap;
      }
    return worst ? [findingOf(input, joint, worst)] : [];
  });
}

interface Gap {
  readonly back: LayerLook;
  readonly front: LayerLook;
  /** In widths of the smaller layer. */
  readonly share: number;
  readonly points: Uint32Array;
  readonly degrees: number;
}

function widest(
  back: LayerLook,
  front: LayerLook,
  [x, y]: readonly [number, number],
  poses: readonly RangePose[],
): Gap | undefined {
  const width = Math.min(back.width, front.width);
  const root = back
    .samplesWithin(x, y, ROOT * width)
    .filter((sample) => front.coversSample(REST_POSE, back, sample));
  let worst: Gap | undefined;
  for (const { pose, angles } of poses) {
    let most = 0;
    const out = root.filter((sample) => {
      const far = front.beyond(pose, back, sample) / width;
      most = Math.max(most, far);
      return far > SHOWS;
    });
    if (most <= SHOWS || most <= (worst?.share ?? 0)) continue;
    const points = Uint32Array.from(new Set(out.map((sample) => back.pointOf(sample)))).sort();
    worst = { back, front, share: most, points, degrees: angles.bend };
  }
  return worst;
}

function findingOf({ parts, skeleton }: CheckInput, joint: number, gap: Gap): Finding {
  const { back, front, share, degrees, points } = gap;
  const percent = Math.round(share * 100);
  return {
    code: 'layers-gape',
    severity: 'note',
    part: back.index,
    joint,
    count: points.length,
    points,
    message: `“${parts[back.index].name}” comes out from under “${parts[front.index].name}” by ${percent} % of the limb when ${skeleton.joints[joint].name} turns to ${degrees}°.`,
  };
}

/** Weight by joint, over all points. */
function massesOf({ joints, values }: WeightRows, jointCount: number): Float64Array {
  const masses = new Float64Array(jointCount);
  values.forEach((value, k) => (masses[joints[k]] += value));
  return masses;
}

function shareOf(masses: Float64Array, joints: readonly number[]): number {
  const all = masses.reduce((sum, mass) => sum + mass, 0);
  return all > 0 ? joints.reduce((sum, joint) => sum + masses[joint], 0) / all : 0;
}

interface LaidShape {
  readonly lines: ClosedLines;
  readonly rule: 'nonzero' | 'evenodd';
}

/** A layer's outlines by the same places in every pose. */
class LayerLook {
  readonly index: number;
  readonly width: number;
  readonly #input: CheckInput;
  readonly #shapes: readonly {
    readonly samples: ReturnType<typeof sampleShape>;
    readonly rule: LaidShape['rule'];
  }[];
  /** By place: the vertex that it is nearest to. */
  readonly #vertices: readonly number[];
  readonly #laid = new Map<Pose, readonly LaidShape[]>();

  constructor(input: CheckInput, drawing: Drawing, index: number) {
    this.index = index;
    this.#input = input;
    const { positions } = input.parts[index];
    const size = pageBox(positions).size;
    const rest = this.#verticesAt(positions);
    this.#shapes = drawing.layers[index].shapes
      .filter(({ fill }) => fill)
      .map((shape) => ({ samples: sampleShape(shape, rest, size / FINE || 1), rule: shape.fillRule }));
    this.#vertices = this.#shapes.flatMap(({ samples: { count, shares, vertices } }) =>
      Array.from({ length: count }, (_, s) => {
        const own = shares.subarray(s * 4, s * 4 + 4);
        return vertices[s * 4 + own.indexOf(Math.max(...own))];
      }),
    );
    const area = this.#lay(REST_POSE).reduce((sum, { lines }) => sum + Math.abs(signedArea(lines)), 0);
    this.width = Math.sqrt(area) || size || 1;
  }

  #verticesAt(positions: Float32Array): Float32Array {
    const { vertexPoint, vertexCount } = this.#input.parts[this.index];
    const out = new Float32Array(vertexCount * 3);
    vertexPoint.forEach((p, v) => out.set(positions.subarray(p * 3, p * 3 + 3), v * 3));
    return out;
  }

  #lay(pose: Pose): readonly LaidShape[] {
    const known = this.#laid.get(pose);
    if (known) return known;
    const { positions } = skinPart(this.#input, this.index, pose, pose === REST_POSE);
    const vertices = this.#verticesAt(positions);
    const laid = this.#shapes.map(({ samples, rule }) => {
      const places = new Float32Array(samples.count * 2);
      placeSamples(samples, vertices, places);
      return { lines: { places, lines: samples.lines }, rule };
    });
    this.#laid.set(pose, laid);
    return laid;
  }

  #placeOf(pose: Pose, sample: number): [number, number] {
    let at = sample;
    for (const { lines } of this.#lay(pose)) {
      const count = lines.places.length / 2;
      if (at < count) return [lines.places[at * 2], lines.places[at * 2 + 1]];
      at -= count;
    }
    throw new RangeError('There is no such place.');
  }

  covers(pose: Pose, x: number, y: number): boolean {
    return this.#lay(pose).some(({ lines, rule }) => isInside(lines, x, y, rule));
  }

  coversSample(pose: Pose, other: LayerLook, sample: number): boolean {
    return this.covers(pose, ...other.#placeOf(pose, sample));
  }

  /** Whether a joint is where the layer begins: what lies behind it, seen from the layer's middle, ends near to it. */
  hasRootAt(x: number, y: number): boolean {
    const all = [...this.#vertices.keys()].map((sample) => this.#placeOf(REST_POSE, sample));
    const [u, v] = [0, 1].map((k) => all.reduce((sum, place) => sum + place[k], 0) / all.length);
    return all.every(
      ([px, py]) =>
        (px - x) * (u - x) + (py - y) * (v - y) >= 0 || Math.hypot(px - x, py - y) <= ROOT * this.width,
    );
  }

  /** Places of the outlines at most so far from a place at rest. */
  samplesWithin(x: number, y: number, radius: number): number[] {
    return [...this.#vertices.keys()].filter((sample) => {
      const [u, v] = this.#placeOf(REST_POSE, sample);
      return Math.hypot(u - x, v - y) <= radius;
    });
  }

  pointOf(sample: number): number {
    return this.#input.parts[this.index].vertexPoint[this.#vertices[sample]];
  }

  /** How far a place of another layer is outside of this one. */
  beyond(pose: Pose, other: LayerLook, sample: number): number {
    const [x, y] = other.#placeOf(pose, sample);
    if (this.covers(pose, x, y)) return 0;
    let least = Infinity;
    for (const { lines } of this.#lay(pose))
      for (let k = 0; k < lines.places.length; k += 2)
        least = Math.min(least, Math.hypot(lines.places[k] - x, lines.places[k + 1] - y));
    return least;
  }
}
