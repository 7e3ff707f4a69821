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

let space: MirrorSpace | undefined;

const pairer = {
  begin(parts: readonly CharacterPart[]): void {
    space = gatherMirrorSpace(parts);
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
    return findTouching(space, tolerance);
  },
};
export type Pairer = typeof pairer;
Comlink.expose(pairer);
