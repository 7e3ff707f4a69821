import type { OpenDocument } from '../document/OpenDocument.ts';
import { JOINT_COLOURS } from '../ui/theme/tokens.ts';
import { chooseColours, meetingJoints, writeColours } from './drawings/jointColours.ts';

/** The colour of each joint, the same on the surface, in the loupe and in the rings; chosen when first looked at. */
export class JointPalette {
  readonly #document: OpenDocument;
  #chosen: readonly number[] | undefined;
  /** Float32Array, 3·jointCapacity: sRGB 0..1. */
  readonly rgb: Float32Array;

  constructor(document: OpenDocument) {
    this.#document = document;
    this.rgb = new Float32Array(3 * document.bound.jointCapacity);
    document.events.subscribe('joints', () => (this.#chosen = undefined));
  }

  /** Sees which joints meet now; colours that still serve are kept. */
  refresh(): void {
    const { skeleton } = this.#document;
    this.#chosen = chooseColours(meetingJoints(skeleton, this.#document.rowsOfPart()), this.#chosen);
    writeColours(this.#chosen, this.rgb);
  }

  /** As CSS takes it. */
  css(joint: number): string {
    if (!this.#chosen) this.refresh();
    return JOINT_COLOURS[this.#chosen?.[joint] ?? 0];
  }
}
