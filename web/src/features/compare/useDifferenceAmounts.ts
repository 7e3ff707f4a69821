import { useEffect } from 'react';
import type { Editing } from '../../scene/Editing.ts';
import { useUiSettings } from '../../settings/store.ts';
import type { Comparing } from './Comparing.ts';

/** While one looks at differences, says by how much, of the chosen joint or of all, and keeps it up to date. */
export function useDifferenceAmounts(at: Editing & { readonly comparing: Comparing }): void {
  const { view, differenceOf } = useUiSettings('view', 'differenceOf');
  useEffect(() => {
    if (view !== 'difference') return undefined;
    const { comparing, scene } = at;
    const show = (): void => {
      const joint = differenceOf === 'joint' ? scene.joint : -1;
      scene.setAmounts(comparing.amounts(joint));
    };
    const ends = [
      comparing.open(),
      comparing.events.subscribe('changed', show),
      scene.events.subscribe('joint', show),
    ];
    show();
    return () => {
      for (const end of ends) end();
      scene.setAmounts(undefined);
    };
  }, [at, view, differenceOf]);
}
