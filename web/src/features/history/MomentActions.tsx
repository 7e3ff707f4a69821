import { useNavigate } from 'react-router';
import { settingsChanged, toolChosen } from '../../settings/uiSettings.ts';
import { useAppDispatch } from '../../settings/store.ts';
import type { MomentChoice } from '../../document/moments/Moments.ts';
import type { HistoryAt } from './historyAt.ts';

/** What can be done with a moment: looked at, painted back, taken back whole. */
export function MomentActions({ at, name, choice }: { at: HistoryAt; name: string; choice: MomentChoice }) {
  const dispatch = useAppDispatch();
  const navigate = useNavigate();
  const { document, momentLook } = at;
  const paint = (): void => {
    void document.dropShown().then(() => {
      document.moments.setBrush(choice);
      dispatch(settingsChanged({ paintPage: 'brush' }));
      dispatch(toolChosen('restore'));
      void navigate(`/characters/${document.id}/paint`);
    });
  };
  return (
    <div className="history-acts">
      <span>{name}</span>
      <button
        type="button"
        className="word"
        onClick={() => {
          momentLook.look(choice).catch(document.notifyError);
        }}
      >
        Look
      </button>
      {document.mayChange && (
        <button type="button" className="word" onClick={paint}>
          Paint it back
        </button>
      )}
    </div>
  );
}
