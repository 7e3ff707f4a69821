/** A ribbon along a chain of joints, one below the other. */
export interface Ribbon {
  readonly joints: readonly number[];
  /** What its curve runs through, evenly along the chain: more follow the chain closely, fewer make it smoother. */
  readonly controls: number;
  /** Whether its ends go the way that the joints there do. */
  readonly isStartHeld: boolean;
  readonly isEndHeld: boolean;
  /** Whether the twist between its ends is shared evenly; else as the joints have it. */
  readonly sharesTwist: boolean;
  /** Whether it becomes thinner where it is stretched, so that its volume stays. */
  readonly keepsVolume: boolean;
  /** Joints along it, from its start to its end, that clips move as it goes; see {@link RibbonCarrier}. */
  readonly ownJoints?: readonly number[];
}

export const MIN_CONTROLS = 3;
export const MAX_CONTROLS = 32;
export const MIN_OWN_JOINTS = 2;
export const MAX_OWN_JOINTS = 32;

/** A ribbon as it lies in a part at rest, part space. */
export interface LaidRibbon {
  readonly ribbon: Ribbon;
  /** Float64Array, 3 a joint and 3 for the end of the last one: where the chain runs. */
  readonly chain: Float64Array;
  /** Float32Array, by point: how far along the ribbon it is held, 0..1. */
  readonly shares: Float32Array;
  /** Float32Array, by point: how much of it the ribbon holds, 0..1. */
  readonly amounts: Float32Array;
  /** How much larger things are in the scene than in the part's space. */
  readonly scale: number;
}

/** How a ribbon is stretched and bent in a pose. */
export interface RibbonState {
  /** How much longer it is than at rest. */
  readonly stretch: number;
  /** Float64Array, along it: one over the radius of what the pose adds to its bend, scene units. */
  readonly bends: Float64Array;
}
