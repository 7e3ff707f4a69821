import {
  fillUnpaired,
  findTouching,
  type MirrorPlane,
  pairByPlace,
  pairByTopology,
  type PairMode,
  type PointPairs,
} from '@judoka/core/operations/mirror';
import { type CharacterPart, gatherMirrorSpace, type MirrorSpace } from '@judoka/core/document';
import * as Comlink from 'comlink';

let held: readonly CharacterPart[] = [];
let space: MirrorSpace | undefined;

const pairer = {
  /** @param isFlat whether they are the layers of a drawing */
  begin(parts: readonly CharacterPart[], isFlat: boolean): void {
    held = parts;
    space = gatherMirrorSpace(parts, isFlat);
  },
  pair(mode: PairMode, plane: MirrorPlane, tolerance: number): PointPairs {
    if (!space) throw new Error('Pairs were asked for before there was a surface.');
    return mode === 'place' ? pairByPlace(space, plane, tolerance) : pairByTopology(space, plane, tolerance);
  },
  fill(pairs: PointPairs, plane: MirrorPlane): PointPairs {
    if (!space) throw new Error('Pairs were asked for before there was a surface.');
    return fillUnpaired(space, plane, pairs);
  },
  /** Where islands and parts touch; see findTouching. */
  touching(tolerance: number): Int32Array {
    if (!space) throw new Error('Points that touch were asked for before there was a surface.');
    // Layers that lie over one another do not touch.
    return findTouching(gatherMirrorSpace(held), tolerance);
  },
};
export type Pairer = typeof pairer;
Comlink.expose(pairer);
