import type { Editing } from './Editing.ts';
import type { ScenePart } from './ScenePart.ts';

/** Tells why a part cannot be painted, if it has no weights of its own. @returns whether it has none */
export function refuseFixed({ document }: Editing, { part, index }: ScenePart): boolean {
  if (part.role !== 'fixed') return false;
  document.notify(
    `“${document.partName(index)}” has no weights of its own: it moves with the node it hangs on.`,
  );
  return true;
}
