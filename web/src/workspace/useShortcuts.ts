import { useEffect } from 'react';
import { letGo, onKeyDown, onKeyUp } from './keys.ts';
import type { Workspace } from './Workspace.ts';

/** Keys of the workspace. Tab, and keys typed into fields, are left alone. */
export function useShortcuts(at: Workspace, showList: () => void): void {
  useEffect(() => {
    const stop = new AbortController();
    addEventListener('keydown', (event) => onKeyDown(event, at, showList), { signal: stop.signal });
    addEventListener('keyup', (event) => onKeyUp(event, at), { signal: stop.signal });
    addEventListener('blur', () => letGo(at), { signal: stop.signal });
    return () => stop.abort();
  }, [at, showList]);
}
