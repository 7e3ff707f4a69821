/** An action of a panel that is open: what its button does. */
export interface PanelAction {
  readonly name: string;
  readonly run: () => void;
  /** Whether there is something to do it to. */
  readonly isReady: boolean;
}

const open = new Map<symbol, PanelAction>();

/** A panel's button says what it does while it is there. @returns the function that takes it back */
export function offerAction(action: PanelAction): () => void {
  const key = Symbol(action.name);
  open.set(key, action);
  return () => open.delete(key);
}

/** What the buttons of the open panels do, in the order in which they came. */
export const offeredActions = (): readonly PanelAction[] => [...open.values()];
