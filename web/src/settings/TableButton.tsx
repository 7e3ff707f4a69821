import { useAppDispatch, useUiSettings } from './store.ts';
import { settingsChanged } from './uiSettings.ts';
import { ActionButton } from '../ui/ActionButton.tsx';

/** Opens the table of weights, and closes it. */
export function TableButton() {
  const dispatch = useAppDispatch();
  const { tableShown } = useUiSettings('tableShown');
  return (
    <ActionButton
      name="Table of weights"
      fullWidth
      variant="default"
      aria-pressed={tableShown}
      onClick={() => dispatch(settingsChanged({ tableShown: !tableShown }))}
    >
      {tableShown ? 'Close the table' : 'Table of weights'}
    </ActionButton>
  );
}
