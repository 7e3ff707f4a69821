import { counted } from '@judoka/core/document';
import { liveJoints } from '@judoka/core/skeleton';
import { Group } from '@mantine/core';
import { useEvent } from '../../document/useEvent.ts';
import { SettingSwitch } from '../../settings/SettingSwitch.tsx';
import { useAppDispatch, useUiSettings } from '../../settings/store.ts';
import { ToolToggle } from '../../settings/ToolToggle.tsx';
import { settingsChanged } from '../../settings/uiSettings.ts';
import type { Editing } from '../../scene/Editing.ts';
import { ActionButton } from '../../ui/ActionButton.tsx';
import { NumberField } from '../../ui/NumberField.tsx';
import { LayerOrder } from './LayerOrder.tsx';
import { addAlong, addAtBends, bendAt, selectedAnchors, takeOut } from './outlineEdits.ts';

const MAX_BEND_POINTS = 12;

/** A drawing's outlines at rest: points where bends need them, and their shape. */
export function OutlinesPanel({ at }: { at: Editing }) {
  return (
    <>
      <BendPoints at={at} />
      <PointsAlong at={at} />
      <ByHand at={at} />
      <SelectedAnchors at={at} />
      <LayerOrder at={at} />
    </>
  );
}

function BendPoints({ at }: { at: Editing }) {
  useEvent(at.scene.events, 'joint');
  const dispatch = useAppDispatch();
  const { bendPoints } = useUiSettings('bendPoints');
  const chosen = at.scene.chosenJoints();
  const add = (joints: readonly number[]): void =>
    void addAtBends(at, joints, bendPoints).catch(at.document.notifyError);
  return (
    <section className="group">
      <h2>Points where it bends</h2>
      <p className="card-line">
        A bend breaks where its outline has no point. Points are added on both sides of the limb; the outline
        stays as it is, and they take the weights of their place.
      </p>
      <NumberField
        steppers
        label="On each side"
        min={1}
        max={MAX_BEND_POINTS}
        allowDecimal={false}
        value={bendPoints}
        onChange={(value) => value >= 1 && dispatch(settingsChanged({ bendPoints: value }))}
      />
      <ActionButton
        name="Add points at the chosen joints"
        fullWidth
        mt={8}
        disabled={chosen.length === 0}
        onClick={() => add(chosen)}
      >
        {chosen.length === 0
          ? 'Choose a joint'
          : `Add at ${chosen.length === 1 ? at.document.jointName(chosen[0]) : counted(chosen.length, 'joint')}`}
      </ActionButton>
      <ActionButton
        name="Add points at all joints"
        fullWidth
        mt={6}
        variant="default"
        onClick={() => add(liveJoints(at.document.skeleton))}
      >
        Add at all joints
      </ActionButton>
    </section>
  );
}

/** Points all along: pictures and plain shapes that bend anywhere. */
function PointsAlong({ at }: { at: Editing }) {
  const dispatch = useAppDispatch();
  const { pointsApart } = useUiSettings('pointsApart');
  return (
    <section className="group">
      <h2>Points all along</h2>
      <NumberField
        steppers
        label="At most so far apart, % of the page"
        min={0.5}
        max={50}
        step={1}
        decimalScale={1}
        value={pointsApart}
        onChange={(value) => value >= 0.5 && dispatch(settingsChanged({ pointsApart: value }))}
      />
      <ActionButton
        name="Add points along outlines"
        fullWidth
        mt={8}
        variant="default"
        onClick={() => void addAlong(at, pointsApart / 100).catch(at.document.notifyError)}
      >
        Add on the layers that are shown
      </ActionButton>
    </section>
  );
}

function ByHand({ at }: { at: Editing }) {
  const isHeld = useUiSettings('tool').tool === 'outline';
  return (
    <section className="group">
      <h2>By hand</h2>
      <ToolToggle tool="outline" disabled={!at.document.mayChange}>
        Shape outlines
      </ToolToggle>
      {isHeld && (
        <p className="card-line" style={{ marginTop: 6 }}>
          Click an outline to add a point. Drag points and handles to reshape it at rest. A click selects a
          point (Ctrl adds to the selection), Shift and a click take it out.
        </p>
      )}
      <SettingSwitch setting="shapeSoftly" mt={8} label="Neighbours come along" />
    </section>
  );
}

function SelectedAnchors({ at }: { at: Editing }) {
  useEvent(at.scene.events, 'selection');
  const anchors = selectedAnchors(at);
  const count = [...anchors.values()].reduce((sum, { length }) => sum + length, 0);
  const act = (work: Promise<unknown>): void => void work.catch(at.document.notifyError);
  return (
    <section className="group">
      <h2>Selected points</h2>
      <p className="card-line">
        {count === 0
          ? 'Click points with Shape outlines, or select them as in Paint.'
          : `${counted(count, 'anchor')} on ${counted(anchors.size, 'layer')}.`}
      </p>
      <Group gap={6} grow>
        <ActionButton
          name="Smooth at the selected points"
          variant="default"
          disabled={count === 0}
          onClick={() => act(bendAt(at, anchors, 'smooth'))}
        >
          Smooth
        </ActionButton>
        <ActionButton
          name="Corners at the selected points"
          variant="default"
          disabled={count === 0}
          onClick={() => act(bendAt(at, anchors, 'corner'))}
        >
          Corner
        </ActionButton>
      </Group>
      <ActionButton
        name="Take the selected points out"
        fullWidth
        mt={6}
        variant="default"
        disabled={count === 0}
        onClick={() => act(takeOut(at, anchors))}
      >
        Take out
      </ActionButton>
    </section>
  );
}
