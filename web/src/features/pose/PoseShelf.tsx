import { Select, Slider, Switch } from '@mantine/core';
import type { SavedPose, WithId } from '@judoka/core/document';
import { useAttachmentUrl } from '../../document/useAttachmentUrl.ts';
import { blendPoses, mirrorWholePose, type Pose } from '@judoka/core/skeleton';
import { useState } from 'react';
import { useEvent } from '../../document/useEvent.ts';
import { KeepField } from '../../ui/KeepField.tsx';
import { stageActions } from '../../scene/stageActions.ts';
import type { Editing } from '../../scene/Editing.ts';
import './poses.css';

type At = Editing;

/** Poses saved under names, in folders by the joint that they belong to: a picture each; a click takes the pose. */
export function PoseShelf({ at }: { at: At }) {
  useEvent(at.document.events, 'values');
  useEvent(at.scene.events, 'pose');
  useEvent(at.scene.events, 'joint');
  const [ofJoint, setOfJoint] = useState(false);
  const {
    document: { saved },
    scene: { joint },
  } = at;
  const posed = Object.keys(at.scene.pose).length > 0;
  const shown = ofJoint && joint >= 0 ? saved.poses.filter((pose) => pose.joint === joint) : saved.poses;
  return (
    <section className="group" aria-label="Saved poses">
      <h2>Saved poses</h2>
      <KeepField
        label="Name of the pose"
        act="Save"
        hint={posed ? 'Name this pose' : 'Pose a joint first'}
        disabled={!posed}
        keep={(name) =>
          at.document.saved.savePose(name, at.scene.pose, pictureBytes(), joint >= 0 ? joint : null)
        }
        failed={(error) => at.document.notify(error.message)}
      />
      {joint >= 0 && saved.poses.length > 0 && (
        <Switch
          mb={6}
          label={`Only of ${at.document.jointName(joint)}`}
          checked={ofJoint}
          onChange={(event) => setOfJoint(event.currentTarget.checked)}
        />
      )}
      {shown.length === 0 && (
        <p className="card-line">{saved.poses.length === 0 ? 'None yet.' : 'None of this joint.'}</p>
      )}
      {foldersOf(at, shown).map(({ name, poses }) => (
        <div key={name} role="group" aria-label={`Poses of ${name}`}>
          <div className="card-line">{name}</div>
          <div className="pose-shelf">
            {poses.map((pose) => (
              <PoseCard key={pose.id} at={at} pose={pose} posed={posed} />
            ))}
          </div>
        </div>
      ))}
      {shown.length > 0 && <Blend at={at} poses={shown} />}
    </section>
  );
}

type NamedPose = WithId<SavedPose>;

/** The stage as a small PNG; null where it cannot be had. */
function pictureBytes(): Uint8Array<ArrayBuffer> | null {
  const address = stageActions()?.picture();
  if (!address) return null;
  return Uint8Array.from(atob(address.slice(address.indexOf(',') + 1)), (letter) => letter.charCodeAt(0));
}

/** Poses by the joint that they belong to, in the skeleton's order; those of none come last. */
function foldersOf(at: At, poses: readonly NamedPose[]): { name: string; poses: readonly NamedPose[] }[] {
  const joints = [...new Set(poses.map(({ joint }) => joint))].sort((a, b) => (a ?? 1e6) - (b ?? 1e6));
  return joints.map((joint) => ({
    name: joint === null ? 'The whole character' : at.document.jointName(joint),
    poses: poses.filter((pose) => pose.joint === joint),
  }));
}

function PoseCard({ at, pose, posed }: { at: At; pose: NamedPose; posed: boolean }) {
  const act = (work: Promise<void>): void => void work.catch(at.document.notifyError);
  const known = at.document.knownJoints(pose.joints);
  const picture = useAttachmentUrl(at.document.id, pose.picture);
  return (
    <figure className="pose-card">
      <button
        type="button"
        title={`Take the pose “${pose.name}”`}
        aria-label={`Take the pose ${pose.name}`}
        onClick={() => at.scene.setPose(known, `Pose ${pose.name}`, `saved:${pose.id}`)}
      >
        {picture ? <img src={picture} alt="" /> : <span>no picture</span>}
      </button>
      <figcaption title={pose.name}>{pose.name}</figcaption>
      <div className="pose-acts">
        <button
          type="button"
          aria-label={`Take the pose ${pose.name}, mirrored`}
          onClick={() => at.scene.setPose(mirrorWholePose(at.document.skeleton, known, at.document.pairs))}
        >
          mirror
        </button>
        <button
          type="button"
          disabled={!posed}
          onClick={() =>
            act(
              at.document.saved.changePose(pose.id, {
                joints: at.scene.pose,
                picture: pictureBytes(),
              }),
            )
          }
        >
          update
        </button>
        <button type="button" onClick={() => at.document.saved.removePose(pose.id)}>
          drop
        </button>
      </div>
    </figure>
  );
}

/** Goes from the pose at hand toward a saved one. */
function Blend({ at, poses }: { at: At; poses: readonly NamedPose[] }) {
  const [from, setFrom] = useState<Pose>();
  const [id, setId] = useState(poses[0].id);
  const [share, setShare] = useState(0);
  const pose = poses.find((one) => one.id === id) ?? poses[0];
  const blend = (value: number): void => {
    const begin = from ?? at.scene.pose;
    if (!from) setFrom(begin);
    setShare(value);
    at.scene.setPose(blendPoses(begin, at.document.knownJoints(pose.joints), value));
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
