import { counted } from '@judoka/core/document';
import { Button, Group } from '@mantine/core';
import { ActionButton } from '../../ui/ActionButton.tsx';
import { liveJoints } from '@judoka/core/skeleton';
import type { JointReach } from '@judoka/core/document';
import { useEffect } from 'react';
import { useEvent } from '../../document/useEvent.ts';
import { toolChosen } from '../../settings/uiSettings.ts';
import { useAppDispatch, useUiSettings } from '../../settings/store.ts';
import { FalloffSelect } from '../../ui/FalloffSelect.tsx';
import { SettingSwitch } from '../../settings/SettingSwitch.tsx';
import { NumberField } from '../../ui/NumberField.tsx';
import type { Editing } from '../../scene/Editing.ts';
import type { ReachTool } from './ReachTool.ts';

type At = Editing & { readonly reachTool: ReachTool };

/** Weights by reach: capsules about bones, dragged on the stage or typed; the surface follows. */
export function ReachPanel({ at }: { at: At }) {
  useEvent(at.reachTool.events, 'changed');
  useEvent(at.scene.events, 'joint');
  useEvent(at.document.events, 'values');
  const dispatch = useAppDispatch();
  const { limit, placeMirrored } = useUiSettings('limit', 'placeMirrored');
  const { reachTool: reaching } = at;
  useEffect(() => {
    dispatch(toolChosen(reaching.active ? 'reach' : 'pose'));
  }, [dispatch, reaching.active]);
  useEffect(() => () => void at.reachTool.drop(), [at]);

  const chosen = at.scene.chosenJoints();
  const deforming = liveJoints(at.document.skeleton).filter((joint) => !at.document.nonDeforming.has(joint));
  const begin = (joints: readonly number[]): void => {
    try {
      at.reachTool.begin(joints, limit);
    } catch (error) {
      at.document.notifyError(error);
    }
  };
  if (!reaching.active) {
    return (
      <section className="group">
        <h2>Reach</h2>
        <p className="card-line">
          A capsule lies about each bone: within its inner edge points follow the joint, and less and less out
          to the outer one. Drag the edges on the stage.
        </p>
        <ActionButton name="Reaches for all joints" fullWidth mb={6} onClick={() => begin(deforming)}>
          For all {deforming.length} joints that deform
        </ActionButton>
        <ActionButton
          name="Reaches for the chosen joints"
          fullWidth
          variant="default"
          disabled={chosen.length === 0}
          onClick={() => begin(chosen)}
        >
          {chosen.length <= 1
            ? `For ${chosen.length === 1 ? at.document.jointName(chosen[0]) : 'the chosen joint'} only`
            : `For the ${chosen.length} chosen joints`}
        </ActionButton>
        <p className="card-line" style={{ marginTop: 6 }}>
          Joints without a reach keep their share of what the reaches leave.
        </p>
      </section>
    );
  }
  return (
    <section className="group" aria-label="Reach">
      <h2>Reach of {at.scene.joint >= 0 ? at.document.jointName(at.scene.joint) : 'no joint'}</h2>
      <Numbers at={at} mirrored={placeMirrored} />
      <SettingSwitch setting="placeMirrored" label="The other side too" />
      <p className="card-line" style={{ marginTop: 6 }}>
        {reaching.reaches.size === 1
          ? '1 joint reaches'
          : counted(reaching.reaches.size, 'joint reaches', 'joints reach')}
        . Nothing is kept yet.
      </p>
      <Group gap={6} grow mt={6}>
        <Button onClick={() => at.reachTool.keep()}>Keep</Button>
        <Button variant="default" onClick={() => at.reachTool.drop()}>
          Drop
        </Button>
      </Group>
    </section>
  );
}

const FIELDS = ['inner', 'outer', 'strength'] as const;

function Numbers({ at, mirrored }: { at: At; mirrored: boolean }) {
  const {
    scene: { joint },
    reachTool: reaching,
  } = at;
  const reach = reaching.reaches.get(joint);
  if (!reach)
    return <p className="card-line">Choose a joint that reaches: its edges can be dragged on the stage.</p>;
  const set = (change: Partial<JointReach>): void => {
    const next = { ...reach, ...change };
    // The edge that was not typed makes room.
    if (change.outer !== undefined) next.inner = Math.min(next.inner, next.outer);
    if (change.inner !== undefined) next.outer = Math.max(next.outer, next.inner);
    try {
      reaching.set(joint, next, mirrored);
      reaching.settle();
    } catch (error) {
      at.document.notifyError(error);
    }
  };
  return (
    <>
      <Group gap={6} grow mb={8}>
        {FIELDS.map((field) => (
          <NumberField
            key={field}
            label={field[0].toUpperCase() + field.slice(1)}
            decimalScale={field === 'strength' ? 2 : 4}
            step={field === 'strength' ? 0.05 : 0.005}
            // A number that is half typed is none yet: a reach of nothing is not asked for.
            min={field === 'outer' ? 1e-4 : 0}
            max={field === 'strength' ? 1 : undefined}
            value={Number(reach[field].toFixed(field === 'strength' ? 2 : 4))}
            onChange={(value) => {
              if (Math.abs(value - reach[field]) > 5e-5) set({ [field]: value });
            }}
          />
        ))}
      </Group>
      <FalloffSelect
        name="Falloff of the reach"
        value={reach.falloff}
        curve={reach.falloff}
        set={(falloff) => set({ falloff })}
      />
    </>
  );
}
