import { counted, jointPath } from '@judoka/core/document';
import { invertMask, listMask } from '@judoka/core/mesh';
import { ActionButton } from '../../ui/ActionButton.tsx';
import type { NamedSelection } from '../../document/SavedItems.ts';
import { useEvent } from '../../document/useEvent.ts';
import { settingsChanged } from '../../settings/uiSettings.ts';
import { useAppDispatch, useUiSettings } from '../../settings/store.ts';
import { KeepField } from '../../ui/KeepField.tsx';
import { SettingSwitch } from '../../settings/SettingSwitch.tsx';
import { Segments } from '../../ui/Segments.tsx';
import { ToolToggle } from '../../settings/ToolToggle.tsx';
import type { Editing } from '../../scene/Editing.ts';
import './saved.css';

type At = Editing;

/** Choosing points: how, through what, and selections that are kept under names. */
export function SelectPanel({ at }: { at: At }) {
  useEvent(at.scene.events, 'selection');
  const dispatch = useAppDispatch();
  const { tool, selectShape } = useUiSettings('tool', 'selectShape');
  const {
    scene: { selection },
  } = at;
  const acts: readonly [string, () => void][] = [
    ['All', () => selection.all()],
    ['None', () => selection.clear()],
    ['Invert', () => selection.invert()],
    ['Grow', () => selection.grow()],
    ['Shrink', () => selection.shrink()],
    ['Islands', () => selection.islands()],
    ['Hide', () => at.scene.visibility.hide(selection.points())],
    ['Hide others', () => at.scene.visibility.hide(othersOf(at))],
    ['Show all', () => at.scene.visibility.showAll()],
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
          <ActionButton
            key={label}
            name={`Selection: ${label.toLowerCase()}`}
            size="compact-xs"
            variant="default"
            onClick={act}
          >
            {label}
          </ActionButton>
        ))}
      </div>
      <div className="card-line" data-selected={selection.count}>
        {selection.count === 0
          ? 'Nothing is selected. Shift adds, Alt takes away, a double click takes an island.'
          : `${counted(selection.count, 'point is', 'points are')} selected.`}
      </div>
      <Saved at={at} />
    </section>
  );
}

/** What is not selected, on parts that are shown. */
function othersOf({ scene: { selection, parts } }: At): Map<number, Uint32Array> {
  return new Map(
    parts
      .filter(({ visible }) => visible)
      .map(({ index }): [number, Uint32Array] => [index, listMask(invertMask(selection.masks[index]))]),
  );
}

function Saved({ at }: { at: At }) {
  useEvent(at.document.events, 'values');
  useEvent(at.document.events, 'values');
  useEvent(at.scene.events, 'joint');
  const { selections } = at.document.saved;
  const can = at.scene.selection.count > 0;
  return (
    <>
      <KeepField
        label="Name of the selection"
        act="Save"
        hint={can ? 'Name this selection' : 'Select points to save them'}
        disabled={!can}
        keep={(name) => at.document.saved.saveSelection(name, at.scene.selection.points())}
        failed={(error) => at.document.notify(error.message)}
      />
      {selections.map((selection) => (
        <SavedRow key={selection.id} at={at} selection={selection} />
      ))}
    </>
  );
}

interface SavedRowProps {
  readonly at: At;
  readonly selection: NamedSelection;
}

/** One saved selection: taken by a click; the chosen joint may be confined to it. */
function SavedRow({ at, selection: { id, name, points } }: SavedRowProps) {
  const {
    scene: { joint },
  } = at;
  const { confines } = at.document.settings;
  const count = [...points.values()].reduce((sum, list) => sum + list.length, 0);
  const here = Object.entries(confines).flatMap(([j, other]) => (other === id ? [Number(j)] : []));
  const isHere = joint >= 0 && confines[joint] === id;
  const confine = (): void =>
    at.document.changeSettings({
      [jointPath('confines', joint)]: isHere ? null : id,
    });
  const drop = (): void => at.document.saved.removeSelection(id);
  return (
    <div className="saved-row" data-selection={name}>
      <button
        type="button"
        className="saved-name"
        title="Select these points. Shift adds, Alt takes away"
        onClick={(event) =>
          at.scene.selection.choosePoints(points, event.altKey ? 'take' : event.shiftKey ? 'add' : 'replace')
        }
      >
        {name}
      </button>
      <span className="figures">{count.toLocaleString('en')}</span>
      <button type="button" className="word" onClick={drop}>
        drop
      </button>
      {joint >= 0 && (
        <button type="button" className="word confine" aria-pressed={isHere} onClick={confine}>
          {isHere
            ? `${at.document.jointName(joint)} is confined to it: let go`
            : `confine ${at.document.jointName(joint)} to it`}
        </button>
      )}
      {here.length > (isHere ? 1 : 0) && (
        <div className="card-line confine">
          Confined to it:{' '}
          {here
            .filter((j) => j !== joint)
            .map((j) => at.document.jointName(j))
            .join(', ')}
        </div>
      )}
    </div>
  );
}
