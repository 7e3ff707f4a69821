import { stage } from '../scene/stageActions.ts';
import type { Workspace } from './Workspace.ts';
import {
  radiusSet,
  settingsChanged,
  strengthSet,
  type Tool,
  toolChosen,
  type UiSettings,
} from '../settings/uiSettings.ts';
import { store } from '../settings/store.ts';
import { TOOLS } from '../settings/toolNames.ts';

export interface Shortcut {
  readonly keys: string;
  readonly what: string;
}

/** All shortcuts, as the list under `?` shows them. */
export const SHORTCUTS: readonly Shortcut[] = [
  { keys: '1 to 7', what: 'Pose, Add, Take away, Set to, Smooth, Sharpen, Scale' },
  { keys: '8', what: 'Select points' },
  { keys: '9', what: 'Gradient' },
  { keys: '[ and ]', what: 'Smaller or larger brush' },
  { keys: '− and =', what: 'Weaker or stronger brush' },
  { keys: 'R, held', what: 'Drag across for radius, up and down for strength' },
  { keys: 'Space, held', what: 'Show the rest pose' },
  { keys: 'Ctrl+Z', what: 'Undo' },
  { keys: 'Ctrl+Shift+Z', what: 'Redo' },
  { keys: 'Ctrl+click', what: 'Choose a joint by its bone with any tool' },
  { keys: 'Ctrl, held', what: 'Turn in steps of five degrees' },
  { keys: 'M', what: 'Mirror strokes, or not' },
  { keys: 'T', what: 'Brush and selecting go through the surface, or not' },
  { keys: 'Alt+click', what: 'With Set to: pick the weight from the surface' },
  { keys: 'Alt+Shift+click', what: 'With a brush: hold all weights of a point, for Paste' },
  { keys: 'N', what: 'Next joint with trouble' },
  { keys: 'C', what: 'Look at the chosen joint' },
  { keys: 'A', what: 'Look at the whole character' },
  { keys: 'F', what: 'Look at the selection, and orbit about it' },
  { keys: 'H', what: 'Hide the selection; with nothing selected, show all again' },
  { keys: 'W', what: 'Edges over the surface, or not' },
  { keys: 'X', what: 'See through the surface, or not' },
  { keys: 'P', what: 'Play the clip, or pause it' },
  { keys: ', and .', what: 'A frame of the clip back, or on' },
  { keys: 'Ctrl+K', what: 'Commands' },
  { keys: 'Right drag', what: 'Orbit' },
  { keys: 'Middle drag', what: 'Pan' },
  { keys: 'Wheel', what: 'Zoom to the cursor' },
  { keys: '?', what: 'This list' },
];

function isTyping(target: EventTarget | null): boolean {
  return (
    target instanceof HTMLElement &&
    (target.isContentEditable || /^(INPUT|TEXTAREA|SELECT)$/.test(target.tagName))
  );
}

/** A key goes down. Keys typed into fields are left alone. */
export function onKeyDown(event: KeyboardEvent, at: Workspace, showList: () => void): void {
  const key = event.key.length === 1 ? event.key.toLowerCase() : event.key;
  if ((event.ctrlKey || event.metaKey) && (key === 'z' || key === 'y')) {
    if (isTyping(event.target)) return;
    event.preventDefault();
    if (key === 'y' || event.shiftKey) void at.document.redo();
    else void at.document.undo();
    return;
  }
  if (event.ctrlKey || event.metaKey || event.altKey || isTyping(event.target)) return;
  if (runKey(key, at, showList)) event.preventDefault();
}

function runKey(key: string, at: Workspace, showList: () => void): boolean {
  const { ui } = store.getState();
  const tool = TOOLS[Number(key) - 1] as Tool | undefined;
  if (tool) store.dispatch(toolChosen(tool));
  else if (key === '8') store.dispatch(toolChosen('select'));
  else if (key === 'm') at.mirroring.set({ live: !at.mirroring.live });
  else if (key === 't') goThrough(ui);
  else if (key === '[') store.dispatch(radiusSet(ui.radius / 1.15));
  else if (key === ']') store.dispatch(radiusSet(ui.radius * 1.15));
  else if (key === '-') store.dispatch(strengthSet(ui.strength - 0.05));
  else if (key === '=') store.dispatch(strengthSet(ui.strength + 0.05));
  else if (key === ' ' && !(document.activeElement instanceof HTMLButtonElement)) at.scene.setShowsRest(true);
  else if (key === 'r') stage?.sizing(true);
  else if (key === 'n') chooseNextTrouble(at);
  else if (key === 'c') stage?.frameJoint();
  else if (key === 'a') stage?.frameAll();
  else if (key === 'f') stage?.frameSelection();
  else if (key === 'h') hideSelection(at);
  else if (key === 'w') store.dispatch(settingsChanged({ edges: !ui.edges }));
  else if (key === 'x') store.dispatch(settingsChanged({ seeThrough: !ui.seeThrough }));
  else if (key === '9') store.dispatch(toolChosen('gradient'));
  else if (key === 'p' && at.clips.current) playOrPause(at);
  else if (key === ',' && at.clips.current) at.clips.goTo(at.clips.frame - 1);
  else if (key === '.' && at.clips.current) at.clips.goTo(at.clips.frame + 1);
  else if (key === '?') showList();
  else return false;
  return true;
}

/** Hides what is selected, or shows everything again. */
function hideSelection(at: Workspace): void {
  if (at.scene.selection.count > 0) at.scene.visibility.hide(at.scene.selection.points());
  else at.scene.visibility.showAll();
}

function playOrPause({ clips }: Workspace): void {
  if (clips.playing) clips.pause();
  else clips.play();
}

/** Brush and selecting go through the surface, or stop at it. */
function goThrough({ depth }: UiSettings): void {
  const through = depth !== 'through';
  store.dispatch(settingsChanged({ depth: through ? 'through' : 'surface', selectThrough: through }));
}

/** Walks on to the next joint, in the roster's order, whose weights stray. */
export function chooseNextTrouble(at: Workspace): void {
  const { counts: strays } = at.strayCounts;
  for (let step = 1; step <= strays.length; step++) {
    const joint = (at.scene.joint + step + strays.length) % strays.length;
    if (strays[joint] === 0) continue;
    at.scene.chooseJoint(joint);
    return;
  }
  at.document.notify('No joint has tiny weights or weight apart from its main region.');
}

export function onKeyUp(event: KeyboardEvent, at: Workspace): void {
  if (event.key === ' ') at.scene.setShowsRest(atRest());
  if (event.key.toLowerCase() === 'r') stage?.sizing(false);
}

/** Where joints are placed or reaches dragged, the rest pose stays. */
const atRest = (): boolean => ['place', 'reach'].includes(store.getState().ui.tool);

/** The page is looked away from: nothing is held any more. */
export function letGo(at: Workspace): void {
  at.scene.setShowsRest(atRest());
  stage?.sizing(false);
}
