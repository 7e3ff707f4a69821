import { useAppDispatch, useUiSettings } from './store.ts';
import { settingsChanged } from './uiSettings.ts';
import { NumberField } from '../ui/NumberField.tsx';

/** How many influences a point may get. */
export function InfluenceLimit() {
  const dispatch = useAppDispatch();
  const { limit } = useUiSettings('limit');
  return (
    <div className="row" style={{ gridTemplateColumns: '1fr 74px' }}>
      <span>Most influences a point</span>
      <NumberField
        steppers
        aria-label="Most influences a point"
        min={1}
        max={8}
        allowDecimal={false}
        value={limit}
        onChange={(value) => dispatch(settingsChanged({ limit: value }))}
      />
    </div>
  );
}
