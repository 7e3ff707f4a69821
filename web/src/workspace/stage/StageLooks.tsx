import { keyOf, keyWords, LOOK_ACTIONS, type Action } from '../actions.ts';
import { stageActions, type Look, LOOKS } from '../../scene/stageActions.ts';
import { settingsChanged } from '../../settings/uiSettings.ts';
import { useAppDispatch, useUiSettings } from '../../settings/store.ts';

const NAMES: Readonly<Record<Look, string>> = { front: 'Front', side: 'Side', back: 'Back', above: 'Above' };

/** Where the stage is looked at from, and whether in perspective: in a corner of it. */
export function StageLooks() {
  const dispatch = useAppDispatch();
  const { straight, keys } = useUiSettings('straight', 'keys');
  const titleOf = ({ name, ...action }: Action): string => {
    const key = keyOf(action, keys);
    return key ? `${name} (${keyWords(key)})` : name;
  };
  return (
    <div className="stage-looks" role="group" aria-label="Looked at from">
      {LOOKS.map((look, i) => (
        <button
          key={look}
          type="button"
          title={titleOf(LOOK_ACTIONS[i])}
          onClick={() => stageActions()?.look(look)}
        >
          {NAMES[look]}
        </button>
      ))}
      <button
        type="button"
        aria-pressed={straight}
        title="Straight lines of sight, or perspective"
        onClick={() => dispatch(settingsChanged({ straight: !straight }))}
      >
        Straight
      </button>
    </div>
  );
}
