import type { Skeleton } from '../skeleton/skeleton.ts';
import { conjugated, multiplied, rotated, type Quat, type Vec } from '../math/quaternion.ts';
import { subtract } from '../math/vector.ts';

/** Poses the character by turns in the scene. */
export class TurnPoser {
  readonly #joints: Skeleton['joints'];
  readonly #order: Uint16Array;
  /** Turn of a joint at rest as its parent sees it; and its place there. */
  readonly #local: Quat[];
  readonly #offsets: Vec[];
  readonly #turns: Quat[];
  readonly #places: Vec[];
  /** Where joints are put, instead of where their parents take them. */
  readonly #put = new Map<number, Vec>();

  constructor(skeleton: Skeleton, order: Uint16Array, rest: readonly Quat[], places: Float32Array) {
    this.#joints = skeleton.joints;
    this.#order = order;
    const at = (joint: number): Vec => [places[joint * 3], places[joint * 3 + 1], places[joint * 3 + 2]];
    this.#local = this.#joints.map(({ parent }, joint) =>
      parent < 0 ? rest[joint] : multiplied(conjugated(rest[parent]), rest[joint]),
    );
    this.#offsets = this.#joints.map(({ parent }, joint) =>
      parent < 0 ? at(joint) : rotated(conjugated(rest[parent]), subtract(at(joint), at(parent))),
    );
    this.#turns = this.#joints.map(() => [0, 0, 0, 1]);
    this.#places = this.#joints.map(() => [0, 0, 0]);
  }

  /** Puts a joint at a place of the scene; it stays there until it is put elsewhere. Its turn is to be set after. */
  put(joint: number, place: Vec): void {
    this.#put.set(joint, place);
  }

  setTurn(joint: number, turn: Quat): void {
    this.#turns[joint] = turn;
    this.#place(joint);
  }

  follow(joint: number): void {
    const { parent } = this.#joints[joint];
    this.setTurn(
      joint,
      parent < 0 ? this.#local[joint] : multiplied(this.#turns[parent], this.#local[joint]),
    );
  }

  #place(joint: number): void {
    this.#places[joint] = this.#put.get(joint) ?? this.#followed(joint);
  }

  /** Where a joint's parent takes it. */
  #followed(joint: number): Vec {
    const { parent } = this.#joints[joint];
    const offset = this.#offsets[joint];
    if (parent < 0) return offset;
    const [from, moved] = [this.#places[parent], rotated(this.#turns[parent], offset)];
    return [from[0] + moved[0], from[1] + moved[1], from[2] + moved[2]];
  }

  turnOf(joint: number): Quat {
    return this.#turns[joint];
  }

  placeOf(joint: number): Vec {
    return this.#places[joint];
  }

  /** Turns a joint and all below it on, in the scene. */
  turnOn(joint: number, turn: Quat): void {
    const below = new Set([joint]);
    this.#turns[joint] = multiplied(turn, this.#turns[joint]);
    for (const each of this.#order) {
      if (!below.has(this.#joints[each].parent)) continue;
      below.add(each);
      this.#turns[each] = multiplied(turn, this.#turns[each]);
      this.#place(each);
    }
  }

  /** What a joint does after its own rest: see JointPose. */
  localTurn(joint: number): Quat {
    const { parent } = this.#joints[joint];
    const seen =
      parent < 0 ? this.#turns[joint] : multiplied(conjugated(this.#turns[parent]), this.#turns[joint]);
    return multiplied(conjugated(this.#local[joint]), seen);
  }

  /** How far a joint is from where its parent takes it, as its node has it, in its parent's units. */
  localMove(joint: number): Vec {
    const { parent, offset } = this.#joints[joint];
    const move = subtract(this.#places[joint], this.#followed(joint));
    const turn = parent < 0 ? ([0, 0, 0, 1] as Quat) : this.#turns[parent];
    const inParent = rotated(conjugated(turn), move);
    // What stands between the joint and its parent may turn and scale.
    const scale = this.#parentScale(joint);
    const linear = [0, 1, 2].map((c) => [offset[c * 4], offset[c * 4 + 1], offset[c * 4 + 2]]);
    const size = linear.map((column) => Math.hypot(...column) || 1);
    return [0, 1, 2].map((c) => {
      const column = linear[c];
      return (
        (column[0] * inParent[0] + column[1] * inParent[1] + column[2] * inParent[2]) /
        (size[c] * size[c] * scale)
      );
    }) as Vec;
  }

  /** How long a unit of the parent is in the scene. */
  #parentScale(joint: number): number {
    let scale = 1;
    for (let j = this.#joints[joint].parent; j >= 0; j = this.#joints[j].parent) {
      const { scale: own, offset } = this.#joints[j];
      scale *= Math.cbrt(Math.abs(own[0] * own[1] * own[2])) || 1;
      scale *= Math.hypot(offset[0], offset[1], offset[2]) || 1;
    }
    return scale;
  }
}
