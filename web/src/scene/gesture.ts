import type { Spot } from './spot.ts';
import type { Axis } from '@judoka/core/skeleton';
import type { UiSettings } from '../settings/uiSettings.ts';
import type { StageHit } from './picking/StageSight.ts';
import type { StageView } from './StageView.ts';
import type { Editing } from './Editing.ts';

/** What lies under the pointer, for the loupe. */
export interface Hover extends Spot {
  readonly hit: StageHit;
}

/** What the page around the stage does for gestures. */
export interface StageCallbacks {
  settings(): UiSettings;
  /** Scene units: the radius setting is a share of the model's height. */
  radius(): number;
  hover(hover: Hover | undefined): void;
  /** What a drag says of itself, in words; nothing when it is over. */
  saying(words: string): void;
  sizing(dx: number, dy: number): void;
  /** A weight that was picked from the surface. */
  picked(value: number): void;
}

export interface GestureContext<At extends Editing = Editing> {
  readonly view: StageView;
  readonly at: At;
  readonly callbacks: StageCallbacks;
}

/** One press of the left button on the stage, until it is let go. */
export interface Gesture {
  move(at: Spot, event: PointerEvent): void;
  end(at: Spot, event: PointerEvent): void;
}

export const axisWords = (handle: Axis | 'free' | undefined): string =>
  handle === undefined || handle === 'free' ? '' : `${handle} `;
