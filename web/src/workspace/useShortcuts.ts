import { useEffect, useRef } from 'react';
import type { ActionContext } from './actions.ts';
import { letGo, onKeyDown, onKeyUp } from './keys.ts';

/** Keys of the workspace. Tab, and keys typed into fields, are left alone. */
export function useShortcuts(context: ActionContext): void {
  const now = useRef(context);
  useEffect(() => {
    now.current = context;
  });
  const { at } = context;
  useEffect(() => {
    const stop = new AbortController();
    const { signal } = stop;
    addEventListener('keydown', (event) => onKeyDown(event, now.current), { signal });
    addEventListener('keyup', (event) => onKeyUp(event, now.current), { signal });
    addEventListener('click', letFieldGo, { signal });
    addEventListener('blur', () => letGo(at), { signal });
    return () => stop.abort();
  }, [at]);
}

/** A field whose choice was clicked is done with: keys are the page's again. */
function letFieldGo({ target, detail }: MouseEvent): void {
  if (detail === 0 || !(target instanceof Element) || !target.closest('[role="option"]')) return;
  setTimeout(() => {
    const { activeElement } = document;
    if (activeElement instanceof HTMLInputElement && activeElement.readOnly) activeElement.blur();
  });
}
