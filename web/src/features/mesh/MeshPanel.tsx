import { counted, readMoved } from '@judoka/core/document';
import { Group, Switch } from '@mantine/core';
import { useEvent } from '../../document/useEvent.ts';
import { RadiusRow } from '../../scene/RadiusRow.tsx';
import type { Editing } from '../../scene/Editing.ts';
import { FalloffChooser } from '../../settings/FalloffChooser.tsx';
import { StrengthRow } from '../../settings/StrengthRow.tsx';
import { SettingSwitch } from '../../settings/SettingSwitch.tsx';
import { useAppDispatch, useUiSettings } from '../../settings/store.ts';
import { ToolToggle } from '../../settings/ToolToggle.tsx';
import { type MeshMode, settingsChanged, toolChosen } from '../../settings/uiSettings.ts';
import type { Events } from '../../document/events.ts';
import { ActionButton } from '../../ui/ActionButton.tsx';
import { Segments } from '../../ui/Segments.tsx';
import { asInFile, takeSelectedOut } from './meshEdits.ts';
import { isMeshBrush } from './meshGesture.ts';
import { MESH_MODES, MESH_WORDS } from './meshModes.ts';
import type { RestMirror } from './RestRun.ts';

type At = Editing & {
  readonly mirroring: RestMirror & {
    readonly events: Events<'changed'>;
    set(change: { live: boolean }): void;
  };
};

/** No mode of a row: the tool does something else. */
const NONE = 'none';
const only = <Mode extends MeshMode>(modes: readonly Mode[]): Readonly<Record<Mode, string>> =>
  Object.fromEntries(modes.map((mode) => [mode, MESH_MODES[mode]])) as Readonly<Record<Mode, string>>;
const BRUSHES = only(['drag', 'out', 'in', 'even', 'flatten', 'pinch']);
const EDGES = only(['loop', 'point', 'turn', 'takeOut']);

/** The mesh at rest: its points moved by a brush, loops and points put where a bend lacks them. */
export function MeshPanel({ at }: { at: At }) {
  return (
    <>
      <Brushes at={at} />
      <Edges at={at} />
      <Changed at={at} />
    </>
  );
}

function useMode(): [MeshMode | typeof NONE, (mode: MeshMode) => void] {
  const dispatch = useAppDispatch();
  const { tool, meshMode } = useUiSettings('tool', 'meshMode');
  return [
    tool === 'mesh' ? meshMode : NONE,
    (mode) => {
      dispatch(settingsChanged({ meshMode: mode }));
      dispatch(toolChosen('mesh'));
    },
  ];
}

function Brushes({ at }: { at: At }) {
  useEvent(at.mirroring.events, 'changed');
  const [mode, choose] = useMode();
  const isHeld = mode !== NONE && isMeshBrush(mode);
  return (
    <section className="group" aria-label="Shape at rest">
      <h2>Shape at rest</h2>
      <p className="card-line">
        Moves the mesh itself, for every pose. Weights, seams and texture stay; a pose on the stage is fine.
      </p>
      <Segments
        name="What the brush does to the mesh"
        choices={BRUSHES}
        value={mode as keyof typeof BRUSHES}
        set={choose}
      />
      {isHeld && (
        <>
          <div className="card-line" style={{ marginTop: 6 }}>
            {MESH_WORDS[mode]}
          </div>
          <RadiusRow at={at} />
          {mode !== 'drag' && <StrengthRow />}
          <FalloffChooser />
          <Switch
            mt={8}
            label="The other side too"
            checked={at.mirroring.live}
            onChange={(event) => at.mirroring.set({ live: event.currentTarget.checked })}
          />
        </>
      )}
    </section>
  );
}

function Edges({ at }: { at: At }) {
  useEvent(at.scene.events, 'selection');
  const [mode, choose] = useMode();
  const { count } = at.scene.selection;
  return (
    <section className="group" aria-label="Edges and points">
      <h2>Edges and points</h2>
      <p className="card-line">
        Where a bend lacks a loop. New points take weights, texture and shapes from between their neighbours.
      </p>
      <Segments
        name="What is changed of the mesh"
        choices={EDGES}
        value={mode as keyof typeof EDGES}
        set={choose}
      />
      {mode !== NONE && !isMeshBrush(mode) && (
        <div className="card-line" style={{ marginTop: 6 }}>
          {MESH_WORDS[mode]}
        </div>
      )}
      <SettingSwitch setting="edges" mt={8} label="Edges drawn" />
      <ToolToggle tool="select" mt={8}>
        Select points
      </ToolToggle>
      <ActionButton
        name="Take the selected points out of the mesh"
        fullWidth
        mt={6}
        variant="default"
        disabled={count === 0}
        onClick={() => void takeSelectedOut(at).catch(at.document.notifyError)}
      >
        {count === 0 ? 'Take selected points out' : `Take ${counted(count, 'selected point')} out`}
      </ActionButton>
    </section>
  );
}

/** What of the mesh differs from the file, by part, and the way back. */
function Changed({ at }: { at: At }) {
  useEvent(at.document.events, 'values');
  const { document } = at;
  const { meshes, moved } = document.settings;
  const rows = at.scene.parts.flatMap(({ index }) => {
    const mesh = meshes[index];
    const count = moved[index] ? readMoved(moved[index]).points.length : 0;
    return mesh || count > 0 ? [{ index, mesh, count }] : [];
  });
  if (rows.length === 0) return null;
  return (
    <section className="group" aria-label="Unlike the file">
      <h2>Unlike the file</h2>
      {rows.map(({ index, mesh, count }) => (
        <div key={index}>
          <div className="card-line">
            {document.partName(index)}:{' '}
            {[
              ...(mesh && mesh.points > mesh.from
                ? [`${counted(mesh.points - mesh.from, 'point')} added`]
                : []),
              ...(mesh && mesh.points === mesh.from ? ['faces changed'] : []),
              ...(count > 0 ? [`${counted(count, 'point')} moved`] : []),
            ].join(', ')}
          </div>
          <Group gap={6} mt={4}>
            {mesh && (
              <ActionButton
                name={`Mesh of ${document.partName(index)} as in the file`}
                size="compact-xs"
                variant="default"
                onClick={() => asInFile(at, index, 'mesh')}
              >
                Faces as they came
              </ActionButton>
            )}
            {count > 0 && (
              <ActionButton
                name={`Points of ${document.partName(index)} where they came`}
                size="compact-xs"
                variant="default"
                onClick={() => asInFile(at, index, 'places')}
              >
                Points back
              </ActionButton>
            )}
          </Group>
        </div>
      ))}
    </section>
  );
}
