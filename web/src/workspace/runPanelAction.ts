import { offeredActions, type PanelAction } from '../ui/panelActions.ts';
import { settingsChanged } from '../settings/uiSettings.ts';
import { store } from '../settings/store.ts';
import type { ActionContext } from './actions.ts';
import type { PanelPage } from './panelPages.ts';

/** So long a page may take to be there. */
const PATIENCE_MS = 5000;

export function openPage({ step, settings }: PanelPage, { go, step: now }: ActionContext): void {
  store.dispatch(settingsChanged(settings));
  if (step !== now) go(step);
}

/** Presses a button of a panel, whether its page is open or not. */
export async function runPanelAction(name: string, page: PanelPage, context: ActionContext): Promise<void> {
  let action = offered(name);
  if (!action) {
    openPage(page, context);
    action = await whenOffered(name);
  }
  if (action?.isReady) action.run();
  else
    context.at.document.notify(
      `There is nothing to do for “${name}” now. Its page, ${page.label}, says what it needs.`,
    );
}

const offered = (name: string): PanelAction | undefined =>
  offeredActions().find((each) => each.name === name);

async function whenOffered(name: string): Promise<PanelAction | undefined> {
  const until = performance.now() + PATIENCE_MS;
  while (!offered(name) && performance.now() < until) await new Promise(requestAnimationFrame);
  return offered(name);
}
