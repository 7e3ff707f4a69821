import { useAppDispatch, useUiSettings } from '../settings/store.ts';
import { MAX_RADIUS, MIN_RADIUS, radiusSet } from '../settings/uiSettings.ts';
import { SliderRow } from '../ui/SliderRow.tsx';
import type { Editing } from './Editing.ts';
import { modelSize } from './modelSize.ts';

/** The brush's radius, in the units of the character. */
export function RadiusRow({ at }: { at: Editing }) {
  const dispatch = useAppDispatch();
  const { radius } = useUiSettings('radius');
  const height = modelSize(at);
  return (
    <SliderRow
      name="Radius"
      value={radius * height}
      least={MIN_RADIUS * height}
      most={MAX_RADIUS * height}
      curve
      digits={height < 20 ? 3 : 1}
      suffix={height < 20 ? ' m' : ''}
      set={(to) => dispatch(radiusSet(to / height))}
    />
  );
}
