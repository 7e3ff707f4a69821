import type { Falloff } from '@judoka/core/math';
import { useAppDispatch, useUiSettings } from './store.ts';
import { falloffOf, settingsChanged } from './uiSettings.ts';
import { CurveEditor } from '../ui/CurveEditor.tsx';
import { FalloffSelect } from '../ui/FalloffSelect.tsx';

/** How a dab or a gradient falls from all to nothing: one of ours, or a curve of one's own. */
export function FalloffChooser() {
  const dispatch = useAppDispatch();
  const ui = useUiSettings('falloff', 'ownFalloff');
  return (
    <>
      <FalloffSelect<Falloff | 'own'>
        name="Falloff"
        value={ui.falloff}
        curve={falloffOf(ui)}
        more={[{ value: 'own', label: 'Your own' }]}
        set={(falloff) => dispatch(settingsChanged({ falloff }))}
      />
      {ui.falloff === 'own' && (
        <CurveEditor
          curve={ui.ownFalloff}
          set={(curve) => dispatch(settingsChanged({ ownFalloff: [...curve] }))}
        />
      )}
    </>
  );
}
