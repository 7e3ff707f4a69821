import { Spotlight, type SpotlightActionData } from '@mantine/spotlight';
import { liveJoints, REST_POSE } from '@judoka/core/skeleton';
import { useNavigate } from 'react-router';
import type { CharacterSession } from '../session/CharacterSession.ts';
import { settingsChanged, toolChosen } from '../state/benchSlice.ts';
import { useAppDispatch } from '../state/store.ts';
import { TOOL_NAMES } from '../state/toolNames.ts';
import { TOOLS } from './BrushPanel.tsx';
import { exportGlb } from './DeliverPanel.tsx';
import { chooseNextTrouble, stageActions } from './useShortcuts.ts';
import { VIEWS } from './ViewPanel.tsx';

/** Everything the bench can do, and every joint, by name. */
export function Commands({ session, showList }: { session: CharacterSession; showList: () => void }) {
  const dispatch = useAppDispatch();
  const navigate = useNavigate();
  const command = (label: string, onClick: () => void): SpotlightActionData => ({
    id: label,
    label,
    onClick,
  });
  const actions: SpotlightActionData[] = [
    command('Undo', () => void session.undo()),
    command('Redo', () => void session.redo()),
    ...TOOLS.map((tool) => command(`Tool: ${TOOL_NAMES[tool]}`, () => dispatch(toolChosen(tool)))),
    ...VIEWS.map(({ value, label }) =>
      command(`View: ${label}`, () => dispatch(settingsChanged({ view: value }))),
    ),
    command('Next joint with trouble', () => chooseNextTrouble(session)),
    command('Rest all joints', () => session.setPose(REST_POSE)),
    command('Show all parts', () =>
      session.parts.forEach(({ index }) => session.showing.setVisible(index, true)),
    ),
    command('Look at the whole character', () => stageActions()?.frameAll()),
    command('Look at the chosen joint', () => stageActions()?.frameJoint()),
    command('Run the range of motion', () => {
      dispatch(settingsChanged({ trialPage: 'range' }));
      void navigate(`/characters/${session.id}/trial`);
      void session.trial.runRange();
    }),
    command('Look for strays', () => {
      dispatch(settingsChanged({ trialPage: 'strays' }));
      void navigate(`/characters/${session.id}/trial`);
      void session.trial.findStrays();
    }),
    ...session.clips.choices().map(({ key, name }) => ({
      id: `clip-${key}`,
      label: `Clip: ${name}`,
      onClick: () => {
        dispatch(settingsChanged({ trialPage: 'clips' }));
        void navigate(`/characters/${session.id}/trial`);
        void session.clips.choose(key);
      },
    })),
    command('Export .glb', () => {
      exportGlb(session).catch((error: Error) => session.tellPerson(`The export failed. ${error.message}`));
    }),
    command('Keys and buttons', showList),
    command('Back to the shelf', () => void navigate('/')),
    ...liveJoints(session.skeleton).map((joint) => ({
      id: `joint-${joint}`,
      label: `Joint: ${session.jointName(joint)}`,
      onClick: () => session.chooseJoint(joint),
    })),
  ];
  return (
    <Spotlight
      actions={actions}
      shortcut="mod + K"
      highlightQuery
      scrollable
      overlayProps={{ blur: 0 }}
      maxHeight={360}
      limit={40}
      nothingFound="Nothing of that name"
      searchProps={{ placeholder: 'Do, or find a joint' }}
    />
  );
}
