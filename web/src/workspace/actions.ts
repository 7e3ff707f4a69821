import { BRUSH_TOOLS } from '@judoka/core/operations/paint';
import { selectedAnchors, takeOut } from '../features/outlines/outlineEdits.ts';
import { LOOK_NAMES, LOOKS, stageActions } from '../scene/stageActions.ts';
import {
  radiusSet,
  settingsChanged,
  strengthSet,
  toolChosen,
  type Tool,
  type UiSettings,
} from '../settings/uiSettings.ts';
import { store } from '../settings/store.ts';
import { KEYED_TOOLS, TOOL_NAMES, toolKey } from '../settings/toolNames.ts';
import { STEP_NAMES, STEPS, type Step } from './stages.ts';
import type { Workspace } from './Workspace.ts';

/** What an action is done with. */
export interface ActionContext {
  readonly at: Workspace;
  readonly step: Step;
  readonly go: (step: Step) => void;
  readonly showList: () => void;
  readonly toggleNight: () => void;
}

/** Something that a key or a command does. */
export interface Action {
  /** What a key of one's own is kept under; it stays. */
  readonly id: string;
  readonly name: string;
  /** The key that it has until the person chooses another; a letter in lower case. */
  readonly key?: string;
  /** Whether there is something to do it to; the key is left to the browser where there is not. */
  readonly applies?: (context: Pick<ActionContext, 'at'>) => boolean;
  readonly run: (context: ActionContext) => void;
  /** What a key that is held does when it is let go. */
  readonly release?: (context: Pick<ActionContext, 'at'>) => void;
}

const ui = (): UiSettings => store.getState().ui;

const isBrushTool = (tool: Tool): boolean => (BRUSH_TOOLS as readonly Tool[]).includes(tool);

/** Takes a tool into the hand, where it is used: its page is opened, and brushes are at home in Paint. */
function takeTool(tool: Tool, { at, step, go }: ActionContext): void {
  // Whoever paints a mask goes on painting it.
  const isOnMask = step === 'paint' && at.masks.current !== undefined && isBrushTool(tool);
  const isHere = tool === 'pose' || step === 'paint' || (tool === 'select' && step === 'bind');
  if (tool === 'select') store.dispatch(settingsChanged({ paintPage: 'select', bindPage: 'pieces' }));
  else if (tool !== 'pose' && !isOnMask) store.dispatch(settingsChanged({ paintPage: 'brush' }));
  if (!isHere) go('paint');
  store.dispatch(toolChosen(tool));
}

const TOOL_ACTIONS: readonly Action[] = KEYED_TOOLS.map((tool): Action => ({
  id: `tool-${tool}`,
  name: `Tool: ${TOOL_NAMES[tool]}`,
  key: toolKey(tool) || undefined,
  run: (context) => takeTool(tool, context),
}));

const STAGE_ACTIONS: readonly Action[] = STEPS.map((step) => ({
  id: `stage-${step}`,
  name: `Stage: ${STEP_NAMES[step]}`,
  run: ({ go }) => go(step),
}));

/** Looked at from where: a letter of the word. */
const LOOK_KEYS = { front: 'f', side: 'l', back: 'b', above: 'u' } as const;
/** A drawing is only ever seen from the front. */
const isBody = ({ at: { document } }: Pick<ActionContext, 'at'>): boolean =>
  document.character.drawing === undefined;

export const LOOK_ACTIONS: readonly Action[] = LOOKS.map((look) => ({
  id: `look-${look}`,
  name: LOOK_NAMES[look],
  key: LOOK_KEYS[look],
  applies: isBody,
  run: () => stageActions()?.look(look),
}));

const hasClip = ({ at: { clips } }: Pick<ActionContext, 'at'>): boolean => clips.current !== undefined;

/** Everything that has a key, or may have one. */
export const ACTIONS: readonly Action[] = [
  ...TOOL_ACTIONS,
  {
    id: 'smaller',
    name: 'Smaller brush',
    key: '[',
    run: () => store.dispatch(radiusSet(ui().radius / 1.15)),
  },
  { id: 'larger', name: 'Larger brush', key: ']', run: () => store.dispatch(radiusSet(ui().radius * 1.15)) },
  {
    id: 'weaker',
    name: 'Weaker brush',
    key: '-',
    run: () => store.dispatch(strengthSet(ui().strength - 0.05)),
  },
  {
    id: 'stronger',
    name: 'Stronger brush',
    key: '=',
    run: () => store.dispatch(strengthSet(ui().strength + 0.05)),
  },
  {
    id: 'size',
    name: 'While held: drag across for radius, up and down for strength',
    key: 'r',
    run: () => stageActions()?.sizing(true),
    release: () => stageActions()?.sizing(false),
  },
  {
    id: 'rest',
    name: 'While held: show the rest pose',
    key: ' ',
    run: ({ at }) => at.scene.setShowsRest(true),
    release: ({ at }) => at.scene.setShowsRest(showsRest()),
  },
  {
    id: 'mirror',
    name: 'Mirror strokes, or not',
    key: 'm',
    run: ({ at }) => at.mirroring.set({ live: !at.mirroring.live }),
  },
  {
    id: 'through',
    name: 'Brush and selecting go through the surface, or not',
    key: 't',
    run: () => {
      const through = ui().depth !== 'through';
      store.dispatch(settingsChanged({ depth: through ? 'through' : 'surface', selectThrough: through }));
    },
  },
  {
    id: 'trouble',
    name: 'Show the worst trouble, then the next',
    key: 'n',
    run: ({ at }) => showNextTrouble(at),
  },
  { id: 'everything', name: 'Look at everything', key: 'e', run: () => stageActions()?.frameAll() },
  {
    id: 'selection',
    name: 'Look at the selection, and orbit about it',
    key: 's',
    run: () => stageActions()?.frameSelection(),
  },
  { id: 'joint', name: 'Look at the chosen joint', key: 'j', run: () => stageActions()?.frameJoint() },
  ...LOOK_ACTIONS,
  {
    id: 'straight',
    name: 'Straight lines of sight, or perspective',
    key: 'o',
    applies: isBody,
    run: () => store.dispatch(settingsChanged({ straight: !ui().straight })),
  },
  {
    id: 'edges',
    name: 'Edges over the surface, or not',
    key: 'g',
    run: () => store.dispatch(settingsChanged({ edges: !ui().edges })),
  },
  {
    id: 'see-through',
    name: 'See through the surface, or not',
    key: 'x',
    run: () => store.dispatch(settingsChanged({ seeThrough: !ui().seeThrough })),
  },
  {
    id: 'veil',
    name: 'Hide the selection; with nothing selected, show all again',
    key: 'v',
    run: ({ at: { scene } }) => {
      if (scene.selection.count > 0) scene.visibility.hide(scene.selection.points());
      else scene.visibility.showAll();
    },
  },
  {
    id: 'take-out',
    name: 'Outlines: take the selected points out of their outlines',
    key: 'Delete',
    applies: ({ at: { document, scene } }) =>
      document.character.drawing !== undefined && ui().tool === 'outline' && scene.selection.count > 0,
    run: ({ at }) => void takeOut(at, selectedAnchors(at)).catch(at.document.notifyError),
  },
  {
    id: 'play',
    name: 'Play the clip, or pause it',
    key: 'p',
    applies: hasClip,
    run: ({ at: { clips } }) => {
      if (clips.playing) clips.pause();
      else clips.play();
    },
  },
  {
    id: 'frame-back',
    name: 'A frame of the clip back',
    key: ',',
    applies: hasClip,
    run: ({ at: { clips } }) => clips.goTo(clips.frame - 1),
  },
  {
    id: 'frame-on',
    name: 'A frame of the clip on',
    key: '.',
    applies: hasClip,
    run: ({ at: { clips } }) => clips.goTo(clips.frame + 1),
  },
  {
    id: 'leave-trouble',
    name: 'Put away what N has shown',
    key: 'Escape',
    applies: ({ at: { troubles } }) => troubles.shown() !== undefined,
    run: ({ at: { troubles } }) => troubles.leave(),
  },
  {
    id: 'keep-moment',
    name: 'Keep this moment under a name',
    key: 'k',
    run: ({ at: { document } }) => {
      const name = document.moments.freeName();
      document.moments.keep(name);
      if (document.mayChange)
        document.notify(`Kept as “${name}”. It can be renamed among the moments of the history.`);
    },
  },
  {
    id: 'who-changed',
    name: 'Who changed what is under the pointer, or selected',
    key: 'h',
    run: ({ at: { historyList } }) => historyList.showTouched(),
  },
  { id: 'history', name: 'History', run: ({ at: { historyList } }) => historyList.toggle() },
  { id: 'night', name: 'Day, or night practice', run: ({ toggleNight }) => toggleNight() },
  { id: 'keys', name: 'Keys and buttons', key: '?', run: ({ showList }) => showList() },
  ...STAGE_ACTIONS,
];

/** Where joints are placed or reaches dragged, the rest pose stays. */
export const showsRest = (): boolean => ['place', 'grow', 'reach', 'outline'].includes(ui().tool);

/** Shows the worst trouble, then what comes next. */
function showNextTrouble({ troubles, document }: Workspace): void {
  if (troubles.showNext()) return;
  document.notify(
    troubles.isKnown
      ? 'No weight strays or jumps, and no bend that was measured is worse than on the other side.'
      : 'The weights are still being looked at.',
  );
}

/** Keys of one's own, by action; an empty one takes the key away. */
export type OwnKeys = Readonly<Partial<Record<string, string>>>;

export const keyOf = ({ id, key }: Pick<Action, 'id' | 'key'>, own: OwnKeys): string => own[id] ?? key ?? '';

export const actionOf = (key: string, own: OwnKeys): Action | undefined =>
  key === '' ? undefined : ACTIONS.find((action) => keyOf(action, own) === key);

/** Gives an action a key; whoever had it has none then. @returns the keys, and who lost theirs */
export function withKey(own: OwnKeys, action: Action, key: string): { own: OwnKeys; loser?: Action } {
  const loser = actionOf(key, own);
  const keys = { ...own, ...(loser && { [loser.id]: '' }), [action.id]: key };
  return { own: keys, loser: loser === action ? undefined : loser };
}

/** A key as it is written on the keyboard. */
export const keyWords = (key: string): string =>
  key === ' ' ? 'Space' : key === '-' ? '−' : key.toUpperCase();
