import { useEffect } from 'react';
import type { Editing } from '../../scene/Editing.ts';
import { useUiSettings } from '../../settings/store.ts';
import type { Mirroring } from './Mirroring.ts';

/** Weights at rest for this long are compared anew. */
const SETTLED_MS = 120;

/** While one looks at where sides differ, says by how much, and keeps it up to date. */
export function useSideAmounts(at: Editing & { readonly mirroring: Mirroring }): void {
  const { view } = useUiSettings('view');
  useEffect(() => {
    if (view !== 'sides') return undefined;
    const { mirroring, scene, document } = at;
    let timer: ReturnType<typeof setTimeout> | undefined;
    const compare = (): void => scene.setAmounts(mirroring.pairs && mirroring.amounts());
    const compareSoon = (): void => {
      clearTimeout(timer);
      timer = setTimeout(compare, SETTLED_MS);
    };
    mirroring
      .find()
      .then(compare)
      .catch(() => document.notify(mirroring.failure));
    const ends = [
      document.events.subscribe('weights', compareSoon),
      scene.events.subscribe('parts', compareSoon),
      mirroring.events.subscribe('changed', compareSoon),
    ];
    return () => {
      clearTimeout(timer);
      for (const end of ends) end();
      scene.setAmounts(undefined);
    };
  }, [at, view]);
}
