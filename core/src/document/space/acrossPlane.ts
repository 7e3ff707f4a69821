import { mat3 } from 'gl-matrix';
import type { CharacterPart } from '../character.ts';
import { partPlace } from './boundSpace.ts';

type Placed = Pick<CharacterPart, 'inverseBinds'>;

/** A move of one part, in its own space, as its mirror image in another part's space. @param axis across which it is mirrored */
export function acrossPlane(
  by: ArrayLike<number>,
  from: Placed,
  to: Placed,
  axis: number,
): [number, number, number] {
  const [own, theirs] = [from, to].map((part) => mat3.fromMat4(mat3.create(), partPlace(part)));
  const back = mat3.invert(mat3.create(), theirs) ?? mat3.create();
  const times = (m: ArrayLike<number>, v: ArrayLike<number>): [number, number, number] => [
    m[0] * v[0] + m[3] * v[1] + m[6] * v[2],
    m[1] * v[0] + m[4] * v[1] + m[7] * v[2],
    m[2] * v[0] + m[5] * v[1] + m[8] * v[2],
  ];
  const placed = times(own, by);
  placed[axis] = -placed[axis];
  return times(back, placed);
}
