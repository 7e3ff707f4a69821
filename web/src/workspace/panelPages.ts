import type { UiSettings } from '../settings/uiSettings.ts';
import { STEP_NAMES, type Step } from './stages.ts';

/** A page of the panels, and the commands that its buttons are. */
export interface PanelPage {
  readonly step: Step;
  /** What is set so that it is open. */
  readonly settings: Partial<
    Pick<UiSettings, 'checkInPage' | 'bindPage' | 'paintPage' | 'trialPage' | 'deliverPage'>
  >;
  readonly label: string;
  readonly actions: readonly string[];
  /** Only drawings have it. */
  readonly isFlat?: boolean;
  /** Drawings have it not. */
  readonly isSolid?: boolean;
}

const SELECTION = [
  'all',
  'none',
  'invert',
  'grow',
  'shrink',
  'islands',
  'hide',
  'hide others',
  'show all',
].map((what) => `Selection: ${what}`);
const POSE = ['Rest this joint', 'Rest its chain', 'Copy the pose across', 'Rest all joints'];

/**
 * Where the buttons of the panels are, so that commands find those whose page is not open. A browser test holds this
 * against the pages themselves.
 */
const PANEL_PAGES: readonly PanelPage[] = [
  {
    step: 'check-in',
    settings: { checkInPage: 'findings' },
    label: 'Check-in',
    actions: ['Repair all that is safe', 'Own limits'],
  },
  {
    step: 'check-in',
    settings: { checkInPage: 'mesh' },
    label: 'Mesh',
    isSolid: true,
    actions: ['Take the selected points out of the mesh'],
  },
  {
    step: 'bind',
    settings: { bindPage: 'joints' },
    label: 'Joints',
    actions: [
      'Add a joint below',
      'Remove the chosen joint',
      'Make the other side',
      'Make joints of the file’s nodes',
      ...POSE,
    ],
  },
  {
    step: 'bind',
    settings: { bindPage: 'outlines' },
    label: 'Outlines',
    isFlat: true,
    actions: [
      'Add points at the chosen joints',
      'Add points at all joints',
      'Add points along outlines',
      'Smooth at the selected points',
      'Corners at the selected points',
      'Take the selected points out',
      ...POSE,
    ],
  },
  {
    step: 'bind',
    settings: { bindPage: 'binding' },
    label: 'Binding',
    actions: [
      'Bind',
      'Compare all methods',
      'Mix two bindings',
      'Give weights to parts that follow a node',
      ...POSE,
    ],
  },
  {
    step: 'bind',
    settings: { bindPage: 'pieces' },
    label: 'By hand',
    actions: [
      'Give the selection to the chosen joint',
      'Blend borders',
      'Select the points that are left over',
      'Spread the selection along the chain',
      'Lay a ribbon along the chain',
      ...SELECTION,
      ...POSE,
    ],
  },
  {
    step: 'bind',
    settings: { bindPage: 'reach' },
    label: 'Reach',
    actions: ['Reaches for all joints', 'Reaches for the chosen joints', ...POSE],
  },
  {
    step: 'bind',
    settings: { bindPage: 'transfer' },
    label: 'From another',
    actions: ['Let the part follow', ...POSE],
  },
  {
    step: 'paint',
    settings: { paintPage: 'brush' },
    label: 'Brush',
    actions: ['Fill the selection', 'Gradient outward from the selection', ...POSE],
  },
  {
    step: 'paint',
    settings: { paintPage: 'select' },
    label: 'Select',
    actions: [
      ...SELECTION,
      'Select a loop',
      'Select a ring',
      'Select the border',
      'Select by weight of the chosen joint',
      'Select stray weights of the chosen joint',
      'Select by number of influences',
      'Select where weights jump',
      ...POSE,
    ],
  },
  {
    step: 'paint',
    settings: { paintPage: 'exact' },
    label: 'Exact',
    actions: [
      'Table of weights',
      'Move weight to another joint',
      'Copy weights',
      'Paste weights',
      'Average weights',
      'Heal weights from the neighbours',
      'Prune',
      ...POSE,
    ],
  },
  {
    step: 'paint',
    settings: { paintPage: 'mirror' },
    label: 'Mirror',
    actions: ['Mirror left to right', 'Mirror right to left', ...POSE],
  },
  { step: 'paint', settings: { paintPage: 'masks' }, label: 'Masks', actions: POSE },
  {
    step: 'trial',
    settings: { trialPage: 'range' },
    label: 'Range',
    actions: ['Usual range of the chosen joint'],
  },
  {
    step: 'trial',
    settings: { trialPage: 'strays' },
    label: 'Strays',
    actions: ['Remove all strays', 'Move everything aside', 'Put everything back'],
  },
  {
    step: 'trial',
    settings: { trialPage: 'compare' },
    label: 'Beside',
    actions: [
      'Measure what became of the bends',
      'Save what differs as a page',
      'Compare in this pose',
      'Compare over the range',
    ],
  },
  { step: 'trial', settings: { trialPage: 'clips' }, label: 'Clips', actions: [] },
  { step: 'trial', settings: { trialPage: 'poses' }, label: 'Poses', actions: POSE },
  {
    step: 'deliver',
    settings: { deliverPage: 'limits' },
    label: 'Limits',
    actions: ['Own limits', 'Names that are taken'],
  },
  { step: 'deliver', settings: { deliverPage: 'export' }, label: 'Export', actions: ['Deliver'] },
  { step: 'deliver', settings: { deliverPage: 'delivered' }, label: 'Delivered', actions: [] },
];

/** As it is called among the commands. */
export const pageName = ({ step, label }: PanelPage): string =>
  label === STEP_NAMES[step] ? `Stage: ${label}` : `${STEP_NAMES[step]}: ${label}`;

/** The pages that a character has. */
export const pagesFor = (isDrawing: boolean): readonly PanelPage[] =>
  PANEL_PAGES.filter(({ isFlat, isSolid }) => (isDrawing ? !isSolid : !isFlat));

/** Where a button is pressed: on the stage at hand if it is there, else where one paints, else wherever it is. */
export function pageOf(action: string, step: Step): PanelPage {
  const pages = PANEL_PAGES.filter(({ actions }) => actions.includes(action));
  return pages.find((page) => page.step === step) ?? pages.find((page) => page.step === 'paint') ?? pages[0];
}
