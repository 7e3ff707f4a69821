import {
  boxAround,
  type Character,
  characterSize,
  type DocumentSettings,
  findBodyPlane,
  longestSide,
} from '@judoka/core/document';
import {
  type JointPairs,
  type MiddlePlane,
  pairJoints,
  restPlaces,
  type Side,
  sidesOf,
  type Skeleton,
} from '@judoka/core/skeleton';

/** How far off the mirrored place a partner may stand, as a share of the skeleton's size. */
const PAIR_TOLERANCE = 0.012;

/** What is measured on the body at rest, as it stands. */
export interface MeasuredBody {
  readonly character: Character;
  readonly skeleton: Skeleton;
  readonly settings: Pick<DocumentSettings, 'pairs'>;
}

/** How large the body at rest is, and what is left and right of it; measured when it is asked for, and kept. */
export class BodyMeasures {
  readonly #body: MeasuredBody;
  #pairs: JointPairs | undefined;
  #sides: { readonly of: JointPairs; readonly sides: readonly Side[] } | undefined;
  #size: number | undefined;
  #plane: MiddlePlane | undefined;

  constructor(body: MeasuredBody) {
    this.#body = body;
  }

  /** Joints have changed, or what the person says of their pairs. */
  forgetPairs(): void {
    this.#pairs = undefined;
  }

  /** Points lie elsewhere at rest. */
  forgetAll(): void {
    this.#size = this.#plane = this.#pairs = undefined;
  }

  get pairs(): JointPairs {
    if (this.#pairs) return this.#pairs;
    const { skeleton, settings } = this.#body;
    const { places, tolerance } = this.#standing();
    this.#pairs = pairJoints(skeleton, places, tolerance, settings.pairs, this.plane);
    return this.#pairs;
  }

  get sides(): readonly Side[] {
    if (this.#sides?.of === this.pairs) return this.#sides.sides;
    const { places, tolerance } = this.#standing();
    const sides = sidesOf(this.#body.skeleton, places, this.pairs, tolerance);
    this.#sides = { of: this.pairs, sides };
    return sides;
  }

  get plane(): MiddlePlane {
    this.#plane ??= findBodyPlane(this.#parts);
    return this.#plane;
  }

  get size(): number {
    this.#size ??= characterSize(this.#parts);
    return this.#size;
  }

  /** Where the joints stand at rest, and how far off a place may be. */
  #standing(): { places: Float32Array; tolerance: number } {
    const places = restPlaces(this.#body.skeleton);
    return { places, tolerance: PAIR_TOLERANCE * (longestSide(boxAround([places])) || 1) };
  }

  /** The parts without what was only made to hold others. */
  get #parts(): Character['parts'] {
    return this.#body.character.parts.filter(({ role }) => role !== 'cage');
  }
}
