import type { CharacterPart } from '../../document/character.ts';
import { jointPlaces } from '../../document/space/bindSpace.ts';
import { placeOn } from '../../drawing/curves.ts';
import { outlinesOfShape, segmentsOf, type Layer, type Outline } from '../../drawing/drawing.ts';
import type { OutlineCut } from '../../drawing/OutlineEditor.ts';
import { childrenOf, subtreeOf, type Skeleton } from '../../skeleton/skeleton.ts';
import type { WeightRows } from '../../weights/rows.ts';
import type { LayerCuts, OutlineSubject } from './changeOutlines.ts';
import { OutlineWay, type WaySegment } from './OutlineWay.ts';

/** Where a bend needs points. */
export interface BendCuts {
  /** Joints whose bends get points. */
  readonly joints: readonly number[];
  /** Points on each side of a limb; those that are there already count. */
  readonly perSide: number;
  /** Layers that are looked at; all where undefined. */
  readonly layers?: readonly number[];
}

/** Points on one side lie so far apart, as a share of the limb's half width. */
const SPACING = 0.45;
/** An anchor so near to a wanted place, as a share of the spacing, is that point already. */
const THERE = 0.4;
/** A limb's side is at most so far from its joint, as a share of the shorter bone at it. */
const REACH = 1.2;

/**
 * Where outlines need points so that a limb bends at its joints: on both sides of it, about where the line through the
 * joint meets the outline that halves the angle between the bones. Only layers that bend there get some: those with points
 * that follow the joint, or what hangs on it, and others that do not; of a layer without weights, those that the joint lies in.
 */
export function cutsAtJoints(
  { drawing, parts, rows, skeleton }: OutlineSubject & { readonly skeleton: Skeleton },
  { joints, perSide, layers }: BendCuts,
): LayerCuts {
  const places = jointPlaces(skeleton, parts);
  const children = childrenOf(skeleton);
  const cuts = new Map<number, OutlineCut[]>();
  const weighted = rows.map(jointsIn);
  for (const joint of joints) {
    const line = bisector(joint, places, skeleton, children);
    if (!line) continue;
    const subtree = new Set(subtreeOf(skeleton, joint));
    drawing.layers.forEach((layer, i) => {
      if (layers && !layers.includes(i)) return;
      if (!bendsAt(weighted[i], subtree)) return;
      const found = cutsOfLayer(layer, parts[i], line, perSide);
      if (found.length > 0) cuts.set(i, [...(cuts.get(i) ?? []), ...found]);
    });
  }
  return cuts;
}

/** A line across a limb: through its joint, with how far it is followed to each side. */
interface Across {
  readonly x: number;
  readonly y: number;
  readonly dx: number;
  readonly dy: number;
  readonly reach: number;
}

function bisector(
  joint: number,
  places: Float32Array,
  { joints }: Skeleton,
  children: readonly (readonly number[])[],
): Across | undefined {
  const at = (j: number): [number, number] => [places[j * 3], places[j * 3 + 1]];
  const [x, y] = at(joint);
  const { parent } = joints[joint];
  const bones: [number, number][] = [];
  const add = (other: number): void => {
    const [u, v] = at(other);
    if (Math.hypot(u - x, v - y) > 0) bones.push([u - x, v - y]);
  };
  if (parent >= 0) add(parent);
  const next = children[joint].find((child) => !joints[child].removed);
  if (next !== undefined) add(next);
  if (bones.length === 0) return undefined;
  // Along the limb: from the bone before to the bone after; across is at right angles to that.
  const [before, after] = [bones[0], bones.length > 1 ? bones[1] : bones[0].map((value) => -value)];
  const [a, b] = [before, after].map(([u, v]) => Math.hypot(u, v));
  const [tx, ty] = [after[0] / b - before[0] / a, after[1] / b - before[1] / a];
  const length = Math.hypot(tx, ty);
  // Folded onto itself a limb has no across.
  if (length < 1e-3) return undefined;
  return { x, y, dx: -ty / length, dy: tx / length, reach: REACH * Math.min(a, b) };
}

/** The joints that points of a layer follow. */
function jointsIn({ joints, values }: WeightRows): ReadonlySet<number> {
  const found = new Set<number>();
  for (let k = 0; k < values.length; k++) if (values[k] > 0) found.add(joints[k]);
  return found;
}

/** Whether some points of a layer follow these joints and others do not; true of a layer without weights. */
function bendsAt(weighted: ReadonlySet<number>, subtree: ReadonlySet<number>): boolean {
  const all = [...weighted];
  return (
    all.length === 0 || (all.some((joint) => subtree.has(joint)) && all.some((joint) => !subtree.has(joint)))
  );
}

/** Where the line crosses an outline: the segment, the share of its way, and how far from the joint, signed. */
interface Crossing extends OutlineCut {
  readonly far: number;
}

function cutsOfLayer(layer: Layer, part: CharacterPart, line: Across, perSide: number): OutlineCut[] {
  const cuts: OutlineCut[] = [];
  let first = 0;
  for (const shape of layer.shapes) {
    const outlines = outlinesOfShape(shape);
    if (shape.fill || shape.stroke) cuts.push(...cutsOfShape(outlines, first, part, line, perSide));
    first += outlines.length;
  }
  return cuts;
}

function cutsOfShape(
  outlines: readonly Outline[],
  first: number,
  part: CharacterPart,
  line: Across,
  perSide: number,
): OutlineCut[] {
  const laid = outlines.map((outline, i) => segmentsIn(outline, first + i, part));
  const crossings = laid.flat().flatMap((segment) => crossingsOf(segment, line));
  const found = sidesAt(crossings);
  if (found.length === 0) return [];
  const [a, b] = [found[0].far, found.length > 1 ? found[1].far : -found[0].far];
  const width = Math.abs(b - a) / 2;
  return found.flatMap((crossing) =>
    spread(
      laid[crossing.outline - first],
      outlines[crossing.outline - first].closed,
      crossing,
      perSide,
      width * SPACING,
    ),
  );
}

/**
 * The two sides of a limb on the line across it: where the line enters and leaves the shape about the joint. A joint may
 * lie beside a limb whose bend has no points yet: then the nearest stretch counts. A line that is only drawn has one side.
 */
function sidesAt(crossings: readonly Crossing[]): readonly Crossing[] {
  const along = [...crossings].sort((a, b) => a.far - b.far);
  if (along.length < 2) return along;
  let best: readonly Crossing[] = [];
  let least = Infinity;
  for (let k = 0; k + 1 < along.length; k += 2) {
    const [enters, leaves] = [along[k], along[k + 1]];
    const off = Math.max(0, enters.far, -leaves.far);
    if (off < least) [best, least] = [[enters, leaves], off];
  }
  return best;
}

function segmentsIn(
  outline: Outline,
  index: number,
  { positions, vertexPoint }: CharacterPart,
): WaySegment[] {
  return segmentsOf(outline).map((vertices, segment) => ({
    ...{ outline: index, segment },
    curve: vertices.flatMap((v) => [positions[vertexPoint[v] * 3], positions[vertexPoint[v] * 3 + 1]]),
  }));
}

/** Steps a curve is gone along in search of crossings. */
const STEPS = 16;

function crossingsOf({ outline, segment, curve }: WaySegment, { x, y, dx, dy, reach }: Across): Crossing[] {
  const side = (t: number): number => {
    const [u, v] = placeOn(curve, t);
    return (u - x) * dy - (v - y) * dx;
  };
  const found: Crossing[] = [];
  for (let k = 0; k < STEPS; k++) {
    let [low, high] = [k / STEPS, (k + 1) / STEPS];
    // A place on the line itself counts as beyond it, so that no crossing is met twice.
    const isBefore = side(low) < 0;
    if (isBefore === side(high) < 0) continue;
    for (let n = 0; n < 40; n++) {
      const middle = (low + high) / 2;
      if (side(middle) < 0 === isBefore) low = middle;
      else high = middle;
    }
    const [u, v] = placeOn(curve, low);
    const far = (u - x) * dx + (v - y) * dy;
    if (Math.abs(far) <= reach) found.push({ outline, segment, at: low, far });
  }
  return found;
}

/** Places along an outline, evenly apart about a crossing, but where there is an anchor already. */
function spread(
  segments: readonly WaySegment[],
  isClosed: boolean,
  crossing: Crossing,
  count: number,
  spacing: number,
): OutlineCut[] {
  const way = new OutlineWay(segments, isClosed);
  const middle = way.lengthAt(crossing.segment, crossing.at);
  const cuts: OutlineCut[] = [];
  for (let k = 0; k < count; k++) {
    const cut = way.cutAt(middle + (k - (count - 1) / 2) * spacing);
    if (cut && way.fromAnchor(cut) > THERE * spacing) cuts.push(cut);
  }
  return cuts;
}
