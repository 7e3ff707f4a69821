import { useEffect } from 'react';
import type { Editing } from '../../scene/Editing.ts';
import { useAppDispatch, useUiSettings } from '../../settings/store.ts';
import { settingsChanged } from '../../settings/uiSettings.ts';
import type { Delivering } from './Delivering.ts';

/** While one looks at what a cure costs, says how far each point moves, in shares of the farthest. */
export function useCostAmounts(at: Editing & { readonly delivering: Delivering }): void {
  const { view } = useUiSettings('view');
  const dispatch = useAppDispatch();
  useEffect(() => {
    if (view !== 'cost') return undefined;
    const { delivering, scene } = at;
    let shown: unknown;
    const show = (): void => {
      // What was decided costs nothing any more.
      if (!delivering.cure) dispatch(settingsChanged({ view: 'tide' }));
      const cost = delivering.measured?.cost;
      if (shown === (cost ?? 'nothing')) return;
      shown = cost ?? 'nothing';
      const most = cost?.greatest ?? 1;
      scene.setAmounts(
        scene.parts.map(({ index, part }) => {
          const own = cost?.byPoint[index];
          // Parts without weights have none.
          if (own?.length !== part.pointCount || most === 0) return new Float32Array(part.pointCount);
          return own.map((far) => far / most);
        }),
      );
    };
    show();
    const end = delivering.events.subscribe('changed', show);
    return () => {
      end();
      scene.setAmounts(undefined);
    };
  }, [at, view, dispatch]);
}
