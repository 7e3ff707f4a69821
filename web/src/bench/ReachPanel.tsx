import { Button, Group } from '@mantine/core';
import { liveJoints } from '@judoka/core/skeleton';
import type { JointReach } from '@judoka/core/operations/bind';
import { useEffect } from 'react';
import type { CharacterSession } from '../session/CharacterSession.ts';
import { useTopic } from '../session/useTopic.ts';
import { toolChosen } from '../state/benchSlice.ts';
import { useAppDispatch, useBench } from '../state/store.ts';
import { FalloffSelect } from './FalloffSelect.tsx';
import { SettingSwitch } from './SettingSwitch.tsx';
import { NumberField } from './NumberField.tsx';

/** Weights by reach: capsules about bones, dragged on the stage or typed; the surface follows. */
export function ReachPanel({ session }: { session: CharacterSession }) {
  useTopic(session, 'reach');
  useTopic(session, 'joint');
  useTopic(session, 'locks');
  const dispatch = useAppDispatch();
  const { limit, placeMirrored } = useBench();
  const { reaching } = session;
  useEffect(() => {
    dispatch(toolChosen(reaching.active ? 'reach' : 'pose'));
  }, [dispatch, reaching.active]);
  useEffect(() => () => void session.reaching.drop(), [session]);

  const chosen = session.chosenJoints();
  const deforming = liveJoints(session.skeleton).filter((joint) => !session.still.has(joint));
  const begin = (joints: readonly number[]): void => {
    try {
      session.reaching.begin(joints, limit);
    } catch (error) {
      session.tellPerson(error instanceof Error ? error.message : String(error));
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
        <Button fullWidth mb={6} onClick={() => begin(deforming)}>
          For all {deforming.length} joints that deform
        </Button>
        <Button fullWidth variant="default" disabled={chosen.length === 0} onClick={() => begin(chosen)}>
          {chosen.length <= 1
            ? `For ${chosen.length === 1 ? session.jointName(chosen[0]) : 'the chosen joint'} only`
            : `For the ${chosen.length} chosen joints`}
        </Button>
        <p className="card-line" style={{ marginTop: 6 }}>
          Joints without a reach keep their share of what the reaches leave.
        </p>
      </section>
    );
  }
  return (
    <section className="group" aria-label="Reach">
      <h2>Reach of {session.joint >= 0 ? session.jointName(session.joint) : 'no joint'}</h2>
      <Numbers session={session} mirrored={placeMirrored} />
      <SettingSwitch setting="placeMirrored" label="The other side too" />
      <p className="card-line" style={{ marginTop: 6 }}>
        {reaching.reaches.size.toLocaleString('en')} joints reach. Nothing is kept yet.
      </p>
      <Group gap={6} grow mt={6}>
        <Button onClick={() => session.reaching.keep()}>Keep</Button>
        <Button variant="default" onClick={() => session.reaching.drop()}>
          Drop
        </Button>
      </Group>
    </section>
  );
}

const FIELDS = ['inner', 'outer', 'strength'] as const;

function Numbers({ session, mirrored }: { session: CharacterSession; mirrored: boolean }) {
  const { joint, reaching } = session;
  const reach = reaching.reaches.get(joint);
  if (!reach)
    return <p className="card-line">Choose a joint that reaches: its edges can be dragged on the stage.</p>;
  const set = (change: Partial<JointReach>): void => {
    try {
      reaching.set(joint, { ...reach, ...change }, mirrored);
      reaching.settle();
    } catch (error) {
      session.tellPerson(error instanceof Error ? error.message : String(error));
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
            min={0}
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
