import '@mantine/spotlight/styles.layer.css';
import type { Workspace } from './Workspace.ts';
import { Spotlight, type SpotlightActionData } from '@mantine/spotlight';
import { liveJoints, REST_POSE } from '@judoka/core/skeleton';
import { useNavigate } from 'react-router';
import { settingsChanged, toolChosen } from '../settings/uiSettings.ts';
import { useAppDispatch } from '../settings/store.ts';
import { TOOL_NAMES, TOOLS } from '../settings/toolNames.ts';
import { exportGlb } from '../features/deliver/DeliverPanel.tsx';
import { chooseNextTrouble } from './keys.ts';
import { stageActions } from '../scene/stageActions.ts';
import { VIEWS } from './ViewPanel.tsx';
import { messageOf } from '@judoka/core/errors';

/** Everything the workspace can do, and every joint, by name. */
export function Commands({ at, showList }: { at: Workspace; showList: () => void }) {
  const dispatch = useAppDispatch();
  const navigate = useNavigate();
  const command = (label: string, onClick: () => void): SpotlightActionData => ({
    id: label,
    label,
    onClick,
  });
  const actions: SpotlightActionData[] = [
    command('Undo', () => void at.document.undo()),
    command('Redo', () => void at.document.redo()),
    ...TOOLS.map((tool) => command(`Tool: ${TOOL_NAMES[tool]}`, () => dispatch(toolChosen(tool)))),
    ...VIEWS.map(({ value, label }) =>
      command(`View: ${label}`, () => dispatch(settingsChanged({ view: value }))),
    ),
    command('Next joint with trouble', () => chooseNextTrouble(at)),
    command('Rest all joints', () => at.scene.setPose(REST_POSE)),
    command('Show all parts', () =>
      at.scene.parts.forEach(({ index }) => at.scene.visibility.setVisible(index, true)),
    ),
    command('Look at the whole character', () => stageActions()?.frameAll()),
    command('Look at the chosen joint', () => stageActions()?.frameJoint()),
    command('Run the range of motion', () => {
      dispatch(settingsChanged({ trialPage: 'range' }));
      void navigate(`/characters/${at.document.id}/trial`);
      void at.trial.runRange();
    }),
    command('Look for strays', () => {
      dispatch(settingsChanged({ trialPage: 'strays' }));
      void navigate(`/characters/${at.document.id}/trial`);
      void at.strayList.find();
    }),
    ...at.clips.choices().map(({ key, name }) => ({
      id: `clip-${key}`,
      label: `Clip: ${name}`,
      onClick: () => {
        dispatch(settingsChanged({ trialPage: 'clips' }));
        void navigate(`/characters/${at.document.id}/trial`);
        void at.clips.choose(key);
      },
    })),
    command('Export .glb', () => {
      exportGlb(at).catch((error: unknown) => at.document.notify(`The export failed. ${messageOf(error)}`));
    }),
    command('Keys and buttons', showList),
    command('Back to the shelf', () => void navigate('/')),
    ...liveJoints(at.document.skeleton).map((joint) => ({
      id: `joint-${joint}`,
      label: `Joint: ${at.document.jointName(joint)}`,
      onClick: () => at.scene.chooseJoint(joint),
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
