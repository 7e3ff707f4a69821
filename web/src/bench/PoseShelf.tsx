import { Select, Slider, Switch } from '@mantine/core';
import type { KeptPose } from '@judoka/contract';
import { blendPoses, mirrorWholePose, type Pose } from '@judoka/core/skeleton';
import { useState } from 'react';
import type { CharacterSession } from '../session/CharacterSession.ts';
import { useTopic } from '../session/useTopic.ts';
import { KeepField } from './KeepField.tsx';
import { stageActions } from './useShortcuts.ts';

/** Poses kept under names, in folders by the joint that they belong to: a picture each; a click takes the pose. */
export function PoseShelf({ session }: { session: CharacterSession }) {
  useTopic(session, 'kept');
  useTopic(session, 'pose');
  useTopic(session, 'joint');
  const [ofJoint, setOfJoint] = useState(false);
  const { kept, joint } = session;
  const posed = Object.keys(session.pose).length > 0;
  const shown = ofJoint && joint >= 0 ? kept.poses.filter((pose) => pose.joint === joint) : kept.poses;
  return (
    <section className="group" aria-label="Kept poses">
      <h2>Kept poses</h2>
      <KeepField
        label="Name of the pose"
        act="Keep"
        hint={posed ? 'Name this pose' : 'Pose a joint first'}
        disabled={!posed}
        keep={(name) =>
          session.kept.keepPose(
            name,
            session.pose,
            stageActions()?.picture() ?? null,
            joint >= 0 ? joint : null,
          )
        }
        failed={(error) => session.tellPerson(error.message)}
      />
      {joint >= 0 && kept.poses.length > 0 && (
        <Switch
          mb={6}
          label={`Only of ${session.jointName(joint)}`}
          checked={ofJoint}
          onChange={(event) => setOfJoint(event.currentTarget.checked)}
        />
      )}
      {shown.length === 0 && (
        <p className="card-line">{kept.poses.length === 0 ? 'None yet.' : 'None of this joint.'}</p>
      )}
      {foldersOf(session, shown).map(({ name, poses }) => (
        <div key={name} role="group" aria-label={`Poses of ${name}`}>
          <div className="card-line">{name}</div>
          <div className="pose-shelf">
            {poses.map((pose) => (
              <PoseCard key={pose.id} session={session} pose={pose} posed={posed} />
            ))}
          </div>
        </div>
      ))}
      {shown.length > 0 && <Blend session={session} poses={shown} />}
    </section>
  );
}

/** Poses by the joint that they belong to, in the skeleton's order; those of none come last. */
function foldersOf(
  session: CharacterSession,
  poses: readonly KeptPose[],
): { name: string; poses: readonly KeptPose[] }[] {
  const joints = [...new Set(poses.map(({ joint }) => joint))].sort((a, b) => (a ?? 1e6) - (b ?? 1e6));
  return joints.map((joint) => ({
    name: joint === null ? 'The whole character' : session.jointName(joint),
    poses: poses.filter((pose) => pose.joint === joint),
  }));
}

function PoseCard({ session, pose, posed }: { session: CharacterSession; pose: KeptPose; posed: boolean }) {
  const act = (work: Promise<void>): void =>
    void work.catch((error: Error) => session.tellPerson(error.message));
  const known = session.knownJoints(pose.joints);
  return (
    <figure className="pose-card">
      <button
        type="button"
        title={`Take the pose “${pose.name}”`}
        aria-label={`Take the pose ${pose.name}`}
        onClick={() => session.setPose(known)}
      >
        {pose.picture ? <img src={pose.picture} alt="" /> : <span>no picture</span>}
      </button>
      <figcaption title={pose.name}>{pose.name}</figcaption>
      <div className="pose-acts">
        <button
          type="button"
          aria-label={`Take the pose ${pose.name}, mirrored`}
          onClick={() => session.setPose(mirrorWholePose(session.skeleton, known, session.pairs))}
        >
          mirror
        </button>
        <button
          type="button"
          disabled={!posed}
          onClick={() =>
            act(
              session.kept.changePose(pose.id, {
                joints: { ...session.pose } as typeof pose.joints,
                picture: stageActions()?.picture(),
              }),
            )
          }
        >
          update
        </button>
        <button type="button" onClick={() => act(session.kept.removePose(pose.id))}>
          drop
        </button>
      </div>
    </figure>
  );
}

/** Goes from the pose at hand toward a kept one. */
function Blend({ session, poses }: { session: CharacterSession; poses: readonly KeptPose[] }) {
  const [from, setFrom] = useState<Pose>();
  const [id, setId] = useState(poses[0].id);
  const [share, setShare] = useState(0);
  const pose = poses.find((one) => one.id === id) ?? poses[0];
  const blend = (value: number): void => {
    const begin = from ?? session.pose;
    if (!from) setFrom(begin);
    setShare(value);
    session.setPose(blendPoses(begin, session.knownJoints(pose.joints), value));
  };
  const end = (): void => {
    setFrom(undefined);
    setShare(0);
  };
  return (
    <div role="group" aria-label="Blend" style={{ marginTop: 8 }}>
      <Select
        size="xs"
        label="Toward"
        data={poses.map(({ id: each, name }) => ({ value: each, label: name }))}
        value={pose.id}
        allowDeselect={false}
        onChange={(next) => {
          if (next) setId(next);
          end();
        }}
      />
      <Slider
        mt={4}
        min={0}
        max={1}
        step={0.01}
        thumbLabel="How far toward the pose"
        label={(value) => `${Math.round(value * 100)}%`}
        value={share}
        onChange={blend}
        onBlur={end}
      />
    </div>
  );
}
