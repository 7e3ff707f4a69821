import { joinFloats } from '../../memory/joinFloats.ts';
import type { MiddlePlane } from '../../skeleton/pairs.ts';
import { PointCells } from '../../spatial/pointCells.ts';
import type { CharacterPart } from '../character.ts';
import { boundPositions, boxAround, longestSide, type Box } from './boundSpace.ts';

/** How far a mirrored place may be off a point, as a share of the body's size. */
const NEAR_SHARE = 0.015;
/** So many points at most are looked at. */
const MAX_SAMPLES = 6000;
/** How much likelier the other two axes lead across a body than the one that leads up. */
const UP_MALUS = 0.1;
const UP = 1;

type BodyPart = Pick<CharacterPart, 'positions' | 'inverseBinds' | 'pointCount'>;

/** What was found for parts: many ask for the same ones. */
const found = new WeakMap<readonly BodyPart[], MiddlePlane>();

/**
 * The plane that divides a body into left and right; looked for once a list of parts. See {@link lookForPlane}.
 */
export function findBodyPlane(parts: readonly BodyPart[]): MiddlePlane {
  const plane = found.get(parts) ?? lookForPlane(parts);
  found.set(parts, plane);
  return plane;
}

/**
 * The plane that divides a body into left and right, as its surface tells: of the three axes and some likely middles, the
 * one across which most of the surface has a counterpart. Where nothing is like its mirror image, the x axis.
 */
function lookForPlane(parts: readonly BodyPart[]): MiddlePlane {
  const clouds = parts.map(boundPositions);
  const box = boxAround(clouds);
  const size = longestSide(box);
  if (!(size > 0)) return { axis: 0, middle: 0, share: 0 };
  const all = joinFloats(clouds);
  const cells = new PointCells(all, new Uint32Array(all.length / 3).keys(), NEAR_SHARE * size);
  const largest = clouds.reduce((most, cloud) => (cloud.length > most.length ? cloud : most));
  const boxes: Box[] = [box, boxAround([largest])];
  let best: MiddlePlane = { axis: 0, middle: centre(box, 0), share: -Infinity };
  for (const axis of [0, 1, 2]) {
    for (const middle of new Set([...boxes.map((each) => centre(each, axis)), 0])) {
      const share = shareMirrored(all, cells, axis, middle) - (axis === UP ? UP_MALUS : 0);
      if (share > best.share + 1e-6) best = { axis, middle, share };
    }
  }
  return best;
}

const centre = ({ least, most }: Box, axis: number): number => (least[axis] + most[axis]) / 2;

function shareMirrored(all: Float32Array, cells: PointCells, axis: number, middle: number): number {
  const count = all.length / 3;
  const step = Math.max(1, Math.floor(count / MAX_SAMPLES));
  let [asked, met] = [0, 0];
  const place = [0, 0, 0];
  for (let p = 0; p < count; p += step) {
    for (let k = 0; k < 3; k++) place[k] = all[p * 3 + k];
    place[axis] = 2 * middle - place[axis];
    asked++;
    if (cells.near(place[0], place[1], place[2]) >= 0) met++;
  }
  return met / asked;
}
