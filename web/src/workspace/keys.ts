import { store } from '../settings/store.ts';
import { stageActions } from '../scene/stageActions.ts';
import { actionOf, showsRest, type ActionContext } from './actions.ts';
import type { Workspace } from './Workspace.ts';

/** What is no key by itself, as the list under `?` shows it. */
export const GESTURES: readonly { readonly keys: string; readonly what: string }[] = [
  { keys: 'Ctrl+Z', what: 'Undo' },
  { keys: 'Ctrl+Shift+Z', what: 'Redo' },
  { keys: 'Ctrl+K', what: 'Commands' },
  { keys: 'Ctrl+click', what: 'Choose a joint by its bone with any tool' },
  { keys: 'Ctrl, held', what: 'Turn in steps of five degrees' },
  { keys: 'Alt+click', what: 'With Set to: pick the weight from the surface' },
  { keys: 'Alt+Shift+click', what: 'With a brush: hold all weights of a point, for Paste' },
  { keys: 'Right drag', what: 'Orbit' },
  { keys: 'Middle drag', what: 'Pan' },
  { keys: 'Wheel', what: 'Zoom to the cursor' },
];

/** Kinds of input that are typed into; the others are buttons of a kind, and no key is theirs but Space and arrows. */
const TYPED = /^(text|search|number|email|password|tel|url|date|time|datetime-local)$/;

function isTyping(target: EventTarget | null): boolean {
  if (!(target instanceof HTMLElement)) return false;
  if (target.isContentEditable || /^(TEXTAREA|SELECT)$/.test(target.tagName)) return true;
  if (target.tagName !== 'INPUT') return false;
  const { type, readOnly } = target as HTMLInputElement;
  return TYPED.test(type) && !readOnly;
}

/** In a dialog nothing of the page behind it is done but undo, which the table of weights needs. */
const isInDialog = (target: EventTarget | null): boolean =>
  target instanceof HTMLElement && target.closest('[aria-modal="true"]') !== null;

/** Whoever walks the page by Tab presses buttons by Space. */
const isWalkedTo = (target: EventTarget | null): boolean =>
  target instanceof HTMLElement &&
  target.matches('button, input, a, [role]') &&
  target.matches(':focus-visible');

/** A key goes down. Keys typed into fields are left alone. */
export function onKeyDown(event: KeyboardEvent, context: ActionContext): void {
  const { target } = event;
  if (event.defaultPrevented || isTyping(target)) return;
  const key = event.key.length === 1 ? event.key.toLowerCase() : event.key;
  const { document } = context.at;
  if ((event.ctrlKey || event.metaKey) && (key === 'z' || key === 'y')) {
    event.preventDefault();
    if (key === 'y' || event.shiftKey) void document.redo();
    else void document.undo();
    return;
  }
  if (event.ctrlKey || event.metaKey || event.altKey || isInDialog(target)) return;
  if (key === ' ' && isWalkedTo(target)) return;
  const action = actionOf(key, store.getState().ui.keys);
  if (!action || action.applies?.(context) === false) return;
  event.preventDefault();
  if (!action.release || !event.repeat) action.run(context);
}

export function onKeyUp(event: KeyboardEvent, context: Pick<ActionContext, 'at'>): void {
  actionOf(event.key.toLowerCase(), store.getState().ui.keys)?.release?.(context);
}

/** The page is looked away from: nothing is held any more. */
export function letGo({ scene }: Workspace): void {
  scene.setShowsRest(showsRest());
  stageActions()?.sizing(false);
}
