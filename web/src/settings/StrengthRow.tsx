import { SliderRow } from '../ui/SliderRow.tsx';
import { useAppDispatch, useUiSettings } from './store.ts';
import { strengthSet } from './uiSettings.ts';

/** How strong a brush is: one setting for all of them. */
export function StrengthRow() {
  const dispatch = useAppDispatch();
  const { strength } = useUiSettings('strength');
  return (
    <SliderRow
      name="Strength"
      value={strength}
      least={0.01}
      most={1}
      digits={2}
      set={(to) => dispatch(strengthSet(to))}
    />
  );
}
