import { invertMask, listMask } from '@judoka/core/mesh';
import { Button } from '@mantine/core';
import type { CharacterSession } from '../session/CharacterSession.ts';
import type { SavedSelection } from '../session/kept.ts';
import { useTopic } from '../session/useTopic.ts';
import { settingsChanged } from '../state/benchSlice.ts';
import { useAppDispatch, useBench } from '../state/store.ts';
import { KeepField } from './KeepField.tsx';
import { SettingSwitch } from './SettingSwitch.tsx';
import { Segments } from './Segments.tsx';
import { ToolToggle } from './ToolToggle.tsx';

/** Choosing points: how, through what, and selections that are kept under names. */
export function SelectPanel({ session }: { session: CharacterSession }) {
  useTopic(session, 'selection');
  const dispatch = useAppDispatch();
  const { tool, selectShape } = useBench();
  const { selection } = session;
  const acts: readonly [string, () => void][] = [
    ['All', () => selection.all()],
    ['None', () => selection.clear()],
    ['Invert', () => selection.invert()],
    ['Grow', () => selection.grow()],
    ['Shrink', () => selection.shrink()],
    ['Islands', () => selection.islands()],
    ['Hide', () => session.showing.hide(selection.points())],
    ['Hide others', () => session.showing.hide(othersOf(session))],
    ['Show all', () => session.showing.showAll()],
  ];
  return (
    <section className="group" aria-label="Selection">
      <h2>Selection</h2>
      <ToolToggle tool="select">{tool === 'select' ? 'Selecting points' : 'Select points'}</ToolToggle>
      <Segments
        name="Shape of selecting"
        mt={6}
        choices={{ box: 'Box', lasso: 'Lasso', brush: 'Brush' }}
        value={selectShape}
        set={(value) => dispatch(settingsChanged({ selectShape: value }))}
      />
      <SettingSwitch setting="selectThrough" mt={6} label="Through the surface" />
      <div className="act-grid">
        {acts.map(([label, act]) => (
          <Button key={label} size="compact-xs" variant="default" onClick={act}>
            {label}
          </Button>
        ))}
      </div>
      <div className="card-line" data-selected={selection.count}>
        {selection.count === 0
          ? 'Nothing is selected. Shift adds, Alt takes away, a double click takes an island.'
          : `${selection.count.toLocaleString('en')} points are selected.`}
      </div>
      <Saved session={session} />
    </section>
  );
}

/** What is not selected, on parts that are shown. */
function othersOf({ selection, parts }: CharacterSession): Map<number, Uint32Array> {
  return new Map(
    parts
      .filter(({ visible }) => visible)
      .map(({ index }): [number, Uint32Array] => [index, listMask(invertMask(selection.masks[index]))]),
  );
}

function Saved({ session }: { session: CharacterSession }) {
  useTopic(session, 'kept');
  useTopic(session, 'settings');
  useTopic(session, 'joint');
  const { selections } = session.kept;
  const act = (work: Promise<unknown>): void =>
    void work.catch((error: Error) => session.tellPerson(error.message));
  const can = session.selection.count > 0;
  return (
    <>
      <KeepField
        label="Name of the selection"
        act="Save"
        hint={can ? 'Name this selection' : 'Select points to save them'}
        disabled={!can}
        keep={(name) => session.kept.keepSelection(name, session.selection.points())}
        failed={(error) => session.tellPerson(error.message)}
      />
      {selections.map((selection) => (
        <SavedRow key={selection.id} session={session} selection={selection} act={act} />
      ))}
    </>
  );
}

interface SavedRowProps {
  readonly session: CharacterSession;
  readonly selection: SavedSelection;
  readonly act: (work: Promise<unknown>) => void;
}

/** One saved selection: taken by a click; the chosen joint may be confined to it. */
function SavedRow({ session, selection: { id, name, points }, act }: SavedRowProps) {
  const { joint } = session;
  const { confines } = session.settings;
  const count = [...points.values()].reduce((sum, list) => sum + list.length, 0);
  const here = Object.entries(confines).flatMap(([j, other]) => (other === id ? [Number(j)] : []));
  const isHere = joint >= 0 && confines[joint] === id;
  const confine = (): void => {
    const next = { ...confines };
    if (isHere) delete next[joint];
    else next[joint] = id;
    session.setSettings({ confines: next });
  };
  const drop = async (): Promise<void> => {
    await session.kept.removeSelection(id);
    const next = Object.fromEntries(Object.entries(confines).filter(([, other]) => other !== id));
    session.setSettings({ confines: next });
  };
  return (
    <div className="saved-row" data-selection={name}>
      <button
        type="button"
        className="saved-name"
        title="Select these points. Shift adds, Alt takes away"
        onClick={(event) =>
          session.selection.choosePoints(points, event.altKey ? 'take' : event.shiftKey ? 'add' : 'replace')
        }
      >
        {name}
      </button>
      <span className="figures">{count.toLocaleString('en')}</span>
      <button type="button" className="word" onClick={() => act(drop())}>
        drop
      </button>
      {joint >= 0 && (
        <button type="button" className="word confine" aria-pressed={isHere} onClick={confine}>
          {isHere
            ? `${session.jointName(joint)} is confined to it: let go`
            : `confine ${session.jointName(joint)} to it`}
        </button>
      )}
      {here.length > (isHere ? 1 : 0) && (
        <div className="card-line confine">
          Confined to it:{' '}
          {here
            .filter((j) => j !== joint)
            .map((j) => session.jointName(j))
            .join(', ')}
        </div>
      )}
    </div>
  );
}
