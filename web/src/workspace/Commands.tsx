import { chosenToCure, curableJoints, cureWords } from '../features/cure/CureSection.tsx';
import '@mantine/spotlight/styles.layer.css';
import { Spotlight, type SpotlightActionData } from '@mantine/spotlight';
import { liveJoints } from '@judoka/core/skeleton';
import { useNavigate } from 'react-router';
import { settingsChanged } from '../settings/uiSettings.ts';
import { useAppDispatch, useUiSettings } from '../settings/store.ts';
import { useEvent } from '../document/useEvent.ts';
import { ACTIONS, keyOf, keyWords, type ActionContext } from './actions.ts';
import { pageName, pageOf, pagesFor } from './panelPages.ts';
import { openPage, runPanelAction } from './runPanelAction.ts';
import { VIEWS } from './ViewPanel.tsx';

/** Everything the workspace can do, and every joint, by name. */
export function Commands({ context }: { context: ActionContext }) {
  const { at } = context;
  const dispatch = useAppDispatch();
  const navigate = useNavigate();
  const { keys } = useUiSettings('keys');
  useEvent(at.document.events, 'joints');
  const pages = pagesFor(at.document.character.drawing !== undefined);
  const command = (label: string, onClick: () => void, key = ''): SpotlightActionData => ({
    id: label,
    label,
    onClick,
    rightSection: key === '' ? undefined : <kbd>{keyWords(key)}</kbd>,
  });
  const actions: SpotlightActionData[] = [
    command('Undo', () => void at.document.undo(), 'Ctrl+Z'),
    command('Redo', () => void at.document.redo(), 'Ctrl+Shift+Z'),
    // What lasts as long as a key is held is no command.
    ...ACTIONS.filter(({ release, applies }) => !release && applies?.(context) !== false).map((action) =>
      command(action.name, () => action.run(context), keyOf(action, keys)),
    ),
    // What a limit costs is seen while one looks at it.
    ...VIEWS.filter(({ value }) => value !== 'cost' && value !== 'mask' && value !== 'shape').map(
      ({ value, label }) => command(`View: ${label}`, () => dispatch(settingsChanged({ view: value }))),
    ),
    ...pages
      .filter((page) => !pageName(page).startsWith('Stage:'))
      .map((page) => command(pageName(page), () => openPage(page, context))),
    ...[...new Set(pages.flatMap((page) => page.actions))].map((name) =>
      command(name, () => void runPanelAction(name, pageOf(name, context.step), context)),
    ),
    command('Run the range of motion', () => {
      openPage({ step: 'trial', settings: { trialPage: 'range' }, label: 'Range', actions: [] }, context);
      void at.trial.runRange();
    }),
    command('Cure the chosen joint’s bends', () => {
      const joints = chosenToCure(at);
      at.curing.cure(joints, cureWords(at, joints)).catch(at.document.notifyError);
    }),
    command('Cure all bends', () => {
      at.curing.cure(curableJoints(at), 'all bends').catch(at.document.notifyError);
    }),
    command('Show all parts', () =>
      at.scene.parts.forEach(({ index }) => at.scene.visibility.setVisible(index, true)),
    ),
    ...at.clips.choices().map(({ key, name }) => ({
      id: `clip-${key}`,
      label: `Clip: ${name}`,
      onClick: () => {
        openPage({ step: 'trial', settings: { trialPage: 'clips' }, label: 'Clips', actions: [] }, context);
        void at.clips.choose(key);
      },
    })),
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
      // Whatever was clicked before, a radio among it; no field takes this chord as text.
      tagsToIgnore={[]}
      highlightQuery
      scrollable
      overlayProps={{ blur: 0 }}
      maxHeight={360}
      limit={60}
      nothingFound="Nothing of that name"
      searchProps={{ placeholder: 'Do, or find a joint' }}
    />
  );
}
