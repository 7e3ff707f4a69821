import type { Axis } from '@judoka/core/skeleton';
import type { CharacterSession } from '../../session/CharacterSession.ts';
import type { BenchState } from '../../state/benchSlice.ts';
import type { StageHit, StageView } from '../StageView.ts';

/** A place on the canvas, in CSS pixels. */
export interface Spot {
  readonly x: number;
  readonly y: number;
}

/** What lies under the pointer, for the loupe. */
export interface Hover extends Spot {
  readonly hit: StageHit;
}

/** What the page around the stage does for gestures. */
export interface StageCallbacks {
  settings(): BenchState;
  /** Scene units: the radius setting is a share of the model's height. */
  radius(): number;
  hover(hover: Hover | undefined): void;
  /** What a drag says of itself, in words; nothing when it is over. */
  saying(words: string): void;
  sizing(dx: number, dy: number): void;
  /** A weight that was picked from the surface. */
  picked(value: number): void;
}

export interface GestureContext {
  readonly view: StageView;
  readonly session: CharacterSession;
  readonly callbacks: StageCallbacks;
}

/** One press of the left button on the stage, until it is let go. */
export interface Gesture {
  move(at: Spot, event: PointerEvent): void;
  end(at: Spot, event: PointerEvent): void;
}

/** A sentence for the person, for what a gesture could not do. */
export function tellError(session: CharacterSession, error: unknown): void {
  session.tellPerson(error instanceof Error ? error.message : String(error));
}

export const axisWords = (handle: Axis | 'free' | undefined): string =>
  handle === undefined || handle === 'free' ? '' : `${handle} `;
