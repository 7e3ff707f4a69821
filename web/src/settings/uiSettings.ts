import { createSlice, type PayloadAction } from '@reduxjs/toolkit';
import { type Axis, DEFAULT_SOFTNESS } from '@judoka/core/skeleton';
import type { BendOrder } from '@judoka/core/analysis/bends';
import type { BindMethod } from '@judoka/core/operations/bind';
import type { BrushTool, Depth } from '@judoka/core/operations/paint';
import type { DeliveryProfile } from '@judoka/core/document';
import type { Falloff, FalloffCurve } from '@judoka/core/math';
import type { Filter, Order } from './rosterChoice.ts';

/**
 * `place` moves joints at rest, `reach` drags capsules, `tie` gives a whole piece to the chosen joint and `block` the
 * selection to the bone that is clicked, `outline` changes a drawing's outlines: they belong to Bind.
 */
export type Tool =
  | 'pose'
  | 'place'
  | 'grow'
  | 'reach'
  | 'select'
  | 'block'
  | 'tie'
  | 'outline'
  | 'mesh'
  | 'gradient'
  | 'shape'
  | BrushTool;
/** What the brush for the bent surface does. */
export type ShapeMode = 'drag' | 'out' | 'in' | 'even' | 'pinch';
/** What the tool for the mesh at rest does: moves points as a brush, or changes edges and points. */
export type MeshMode = ShapeMode | 'flatten' | 'loop' | 'point' | 'turn' | 'takeOut';
export type CheckInPage = 'findings' | 'mesh';
const BIND_TOOLS: readonly Tool[] = ['place', 'grow', 'reach', 'block', 'tie', 'outline', 'mesh'];
export type PaintPage = 'brush' | 'select' | 'exact' | 'mirror' | 'masks';
export type BindPage = 'joints' | 'outlines' | 'binding' | 'pieces' | 'reach' | 'transfer';
export type WeightView =
  | 'tide'
  | 'grey'
  | 'lines'
  | 'joints'
  | 'count'
  | 'strain'
  | 'sides'
  | 'difference'
  | 'cost'
  | 'mask'
  | 'shape'
  | 'plain';

/** Views that draw the scene's amounts. */
export const isAmounts = (view: WeightView): boolean =>
  view === 'sides' || view === 'difference' || view === 'cost' || view === 'mask' || view === 'shape';
export type DeliverPage = 'limits' | 'export' | 'delivered';
export type TrialPage = 'range' | 'clips' | 'strays' | 'poses' | 'compare';
/**
 * What the bend strip shows: even turns about an axis, the joint's range, kept poses, a clip's worst frames, or all that is
 * proposed in the same bends.
 */
export type StripSource = 'axis' | 'range' | 'kept' | 'worst' | 'proposed';
/** What stands beside the stage: nothing, its mirror image, or the weights as they came. */
export type Beside = 'none' | 'mirror' | 'before';

export interface UiSettings {
  tool: Tool;
  /** Share of the model's height. */
  radius: number;
  strength: number;
  value: number;
  falloff: Falloff | 'own';
  /** The falloff of one's own, at even steps from the centre to the rim. */
  ownFalloff: number[];
  smoothAll: boolean;
  /** Whether the brush brings all influences back, or the chosen joint's alone. */
  restoreAll: boolean;
  /** Whether smoothing also brings points together that touch. */
  joinTouching: boolean;
  penPressure: 'off' | 'strength' | 'radius';
  limit: number;
  /** What Scale multiplies by. */
  factor: number;
  depth: Depth;
  gradient: 'linear' | 'around';
  /** Edges drawn over the surface, and the surface seen through. */
  edges: boolean;
  /** How often the surface is subdivided for the eye. */
  smooth: 'off' | 'once' | 'twice';
  seeThrough: boolean;
  /** Whether layers of a drawing that are hidden are seen faintly. */
  ghosts: boolean;
  /** Whether the stage is seen without perspective. */
  straight: boolean;
  /** Keys of the person's own, by action. */
  keys: Readonly<Partial<Record<string, string>>>;
  /** Whether a stroke gives no more than one pass. */
  singlePass: boolean;
  /** What the brush for the surface does, and how much other bends count against it, 0..1. */
  shapeMode: ShapeMode;
  shapeOthers: number;
  meshMode: MeshMode;
  checkInPage: CheckInPage;
  /** Whether the brush is drawn after the pointer. */
  steady: boolean;
  /** Whether a stroke meets the surface as it was when the stroke began. */
  holdSurface: boolean;
  receiver: ReceiverChoice;
  receiverJoint: number;
  paintPage: PaintPage;
  /** Whether the table of weights is open in Paint, and where it stands. */
  tableShown: boolean;
  tableDock: 'below' | 'beside';
  view: WeightView;
  /** What was seen before a bend was shown by its strain; empty where that is over. */
  viewBefore: WeightView | '';
  showJoints: boolean;
  /** Whether the ground is shown under a motion, and the camera goes along with it. */
  ground: boolean;
  goesAlong: boolean;
  stripAxis: Axis;
  /** Degrees between neighbours of the bend strip. */
  stripStep: number;
  bindMethod: BindMethod;
  /** How soft borders of a binding are, 0..1. */
  softness: number;
  /** Delivery profiles of the person's own. */
  ownProfiles: DeliveryProfile[];
  /** Which joints the roster lists, how, and whether pairs share a row. */
  roster: { filter: Filter; order: Order; folded: boolean };
  /** What the pose handles do. */
  handles: 'turn' | 'move' | 'scale';
  /** Which page of Bind is open. */
  bindPage: BindPage;
  trialPage: TrialPage;
  deliverPage: DeliverPage;
  /** By what bends are ranked: how bad, or how much. */
  bendOrder: BendOrder;
  stripSource: StripSource;
  beside: Beside;
  /** Whose weights are looked at where two states differ. */
  differenceOf: 'joint' | 'all';
  /** Placing joints: what hangs below stays, partners follow, and a free drag keeps to the middle of the body. */
  childrenStay: boolean;
  placeMirrored: boolean;
  placeInside: boolean;
  /** What new joints are called; empty for what fits. */
  newJointName: string;
  selectShape: 'box' | 'lasso' | 'brush';
  /** Whether selecting goes through the surface. */
  selectThrough: boolean;
  /** How many points a bend gets on each side, and whether neighbours come along when one is moved. */
  bendPoints: number;
  /** How far apart points along outlines are at most, in percent of the page's height. */
  pointsApart: number;
  shapeSoftly: boolean;
  /** A binding is for the selected points, or the chosen joints, only. */
  bindSelected: boolean;
  bindChosen: boolean;
}

const initial: UiSettings = {
  tool: 'pose',
  radius: 0.045,
  strength: 0.25,
  value: 1,
  falloff: 'smooth',
  ownFalloff: [1, 0.85, 0.5, 0.15, 0],
  smoothAll: false,
  restoreAll: true,
  joinTouching: false,
  penPressure: 'strength',
  limit: 4,
  factor: 0.5,
  depth: 'surface',
  gradient: 'linear',
  edges: false,
  smooth: 'off',
  seeThrough: false,
  ghosts: false,
  straight: false,
  keys: {},
  singlePass: false,
  shapeMode: 'drag',
  shapeOthers: 0.25,
  meshMode: 'drag',
  checkInPage: 'findings',
  steady: false,
  holdSurface: true,
  receiver: 'others',
  receiverJoint: -1,
  paintPage: 'brush',
  tableShown: false,
  tableDock: 'below',
  view: 'tide',
  viewBefore: '',
  showJoints: true,
  ground: true,
  goesAlong: false,
  stripAxis: 'x',
  stripStep: 35,
  bindMethod: 'volume',
  softness: DEFAULT_SOFTNESS,
  ownProfiles: [],
  roster: { filter: 'all', order: 'tree', folded: false },
  handles: 'turn',
  bindPage: 'binding',
  trialPage: 'range',
  deliverPage: 'limits',
  bendOrder: 'stretch',
  stripSource: 'range',
  beside: 'none',
  differenceOf: 'all',
  childrenStay: true,
  placeMirrored: true,
  placeInside: false,
  newJointName: '',
  selectShape: 'box',
  selectThrough: false,
  bendPoints: 3,
  pointsApart: 4,
  shapeSoftly: false,
  bindSelected: false,
  bindChosen: false,
};

const STORED = 'judoka.uiSettings';

/** What was stored, as far as it is of the kind that is needed: an earlier version may have stored something else. */
export function restoreUiSettings(): UiSettings {
  let stored: unknown;
  try {
    stored = JSON.parse(localStorage.getItem(STORED) ?? '{}');
  } catch {
    return initial;
  }
  if (typeof stored !== 'object' || stored === null) return initial;
  const held = stored as Readonly<Record<string, unknown>>;
  const fitting = Object.entries(initial).filter(([key, value]) => isAlike(held[key], value));
  return {
    ...initial,
    ...(Object.fromEntries(fitting.map(([key]) => [key, held[key]])) as Partial<UiSettings>),
    tool: 'pose',
    beside: 'none',
    // It belongs to the two sides of one character, and takes a search to be drawn.
    ...(isAmounts(held.view as WeightView) && { view: initial.view }),
  };
}

const isAlike = (one: unknown, other: unknown): boolean =>
  typeof one === typeof other && Array.isArray(one) === Array.isArray(other) && one !== null;

export function storeUiSettings(state: UiSettings): void {
  try {
    localStorage.setItem(STORED, JSON.stringify(state));
  } catch {
    // A browser that keeps nothing begins anew the next time; no more is lost.
  }
}

const within = (value: number, least: number, most: number): number => Math.min(most, Math.max(least, value));

/** The brush's falloff as core takes it. */
export const falloffOf = ({
  falloff,
  ownFalloff,
}: Pick<UiSettings, 'falloff' | 'ownFalloff'>): Falloff | FalloffCurve =>
  falloff === 'own' ? ownFalloff : falloff;

export const MIN_RADIUS = 0.004;
export const MAX_RADIUS = 0.5;

export const uiSettingsSlice = createSlice({
  name: 'ui',
  initialState: restoreUiSettings,
  reducers: {
    toolChosen: (state, { payload }: PayloadAction<Tool>) => {
      state.tool = payload;
    },
    /** A page of Bind is left: its own tool is not left in the hand. */
    bindToolLeft: (state) => {
      if (BIND_TOOLS.includes(state.tool)) state.tool = 'pose';
    },
    radiusSet: (state, { payload }: PayloadAction<number>) => {
      state.radius = within(payload, MIN_RADIUS, MAX_RADIUS);
    },
    strengthSet: (state, { payload }: PayloadAction<number>) => {
      state.strength = within(payload, 0.01, 1);
    },
    /** A bend is shown by its strain, as long as bends are looked at. */
    strainShown: (state) => {
      if (state.view !== 'strain') state.viewBefore = state.view;
      state.view = 'strain';
    },
    trialLeft: (state) => {
      if (state.viewBefore !== '' && state.view === 'strain') state.view = state.viewBefore;
      state.viewBefore = '';
    },
    rosterChanged: (state, { payload }: PayloadAction<Partial<UiSettings['roster']>>) => {
      Object.assign(state.roster, payload);
    },
    settingsChanged: (
      state,
      { payload }: PayloadAction<Partial<Omit<UiSettings, 'tool' | 'radius' | 'strength'>>>,
    ) => {
      Object.assign(state, payload);
    },
  },
});

export const {
  toolChosen,
  bindToolLeft,
  radiusSet,
  strengthSet,
  strainShown,
  trialLeft,
  rosterChanged,
  settingsChanged,
} = uiSettingsSlice.actions;

/** Where freed weight goes, as a person chooses it. */
export type ReceiverChoice = 'others' | 'parent' | 'joint' | 'neighbours';
