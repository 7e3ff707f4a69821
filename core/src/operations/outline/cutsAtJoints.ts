import type { CharacterPart } from '../../document/character.ts';
import { jointPlaces } from '../../document/space/bindSpace.ts';
import { placeOn } from '../../drawing/curves.ts';
import { segmentsOf, type Layer, type Outline } from '../../drawing/drawing.ts';
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
 * that follow the joint, or what hangs on it, and others that do not; of layers without weights, those that the joint lies in.
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
      const isBare = weighted[i].size === 0;
      if (!isBare && !bendsAt(weighted[i], subtree)) return;
      const found = cutsOfLayer(layer, parts[i], { line, perSide, isBare });
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

/** Whether some points of a layer follow these joints and others do not. */
function bendsAt(weighted: ReadonlySet<number>, subtree: ReadonlySet<number>): boolean {
  const all = [...weighted];
  return all.some((joint) => subtree.has(joint)) && all.some((joint) => !subtree.has(joint));
}

/** Where the line crosses an outline: the segment, the share of its way, and how far from the joint, signed. */
interface Crossing extends OutlineCut {
  readonly far: number;
}

interface Wanted {
  readonly line: Across;
  readonly perSide: number;
  /** Whether the layer has no weights: it bends only where the joint lies in it. */
  readonly isBare: boolean;
}

function cutsOfLayer(layer: Layer, part: CharacterPart, wanted: Wanted): OutlineCut[] {
  const cuts: OutlineCut[] = [];
  let first = 0;
  for (const { outlines, clip } of layer.shapes)
    for (const together of [outlines, clip?.outlines ?? []]) {
      cuts.push(...cutsOfOutlines(together, first, part, wanted));
      first += together.length;
    }
  return cuts;
}

/** @param first number of the first of `outlines` in the layer */
function cutsOfOutlines(
  outlines: readonly Outline[],
  first: number,
  part: CharacterPart,
  { line, perSide, isBare }: Wanted,
): OutlineCut[] {
  const laid = outlines.map((outline, i) => segmentsIn(outline, first + i, part));
  const crossings = laid.flat().flatMap((segment) => crossingsOf(segment, line));
  crossings.sort((a, b) => a.far - b.far);
  const isArea = outlines.every(({ closed }) => closed);
  const { sides, width, isAround } = isArea ? sidesOfArea(crossings) : sidesOfLine(crossings);
  if (isBare && !isAround) return [];
  // A side beyond reach is no side of this limb, and says nothing of its width.
  const spacing = Math.min(width, line.reach) * SPACING;
  return sides
    .filter(({ far }) => Math.abs(far) <= line.reach)
    .flatMap((crossing) => {
      const { closed } = outlines[crossing.outline - first];
      return spread(laid[crossing.outline - first], closed, crossing, perSide, spacing);
    });
}

/** The two sides of a limb on the line across it. */
interface Sides {
  readonly sides: readonly Crossing[];
  /** Half of what lies between them. */
  readonly width: number;
  /** Whether the joint lies between them. */
  readonly isAround: boolean;
}

/**
 * Where the line enters and leaves an area about the joint. A joint may lie beside a limb whose bend has no points yet: then the
 * nearest stretch counts.
 *
 * @param along crossings in their order
 */
function sidesOfArea(along: readonly Crossing[]): Sides {
  let best: Sides = { sides: [], width: 0, isAround: false };
  let least = Infinity;
  for (let k = 0; k + 1 < along.length; k += 2) {
    const [enters, leaves] = [along[k], along[k + 1]];
    const off = Math.max(0, enters.far, -leaves.far);
    if (off >= least) continue;
    least = off;
    best = { sides: [enters, leaves], width: (leaves.far - enters.far) / 2, isAround: off === 0 };
  }
  return best;
}

/** Of lines that enclose nothing, the nearest crossing on each side of the joint. */
function sidesOfLine(along: readonly Crossing[]): Sides {
  const sides = [[...along].reverse().find(({ far }) => far <= 0), along.find(({ far }) => far > 0)].filter(
    (side) => side !== undefined,
  );
  const width = sides.reduce((sum, { far }) => sum + Math.abs(far), 0) / (sides.length || 1);
  return { sides, width, isAround: sides.length > 0 };
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

function crossingsOf({ outline, segment, curve }: WaySegment, { x, y, dx, dy }: Across): Crossing[] {
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
    found.push({ outline, segment, at: low, far });
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
