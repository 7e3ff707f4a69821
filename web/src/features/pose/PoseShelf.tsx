import { Button, Switch } from '@mantine/core';
import { poseClip, sampleClip } from '@judoka/core/animation';
import { counted } from '@judoka/core/document';
import { useState } from 'react';
import { useEvent } from '../../document/useEvent.ts';
import { KeepField } from '../../ui/KeepField.tsx';
import type { Editing } from '../../scene/Editing.ts';
import { type NamedPose, pictureBytes, PoseRow } from './PoseRow.tsx';
import './poses.css';

/**
 * Poses saved under names, in folders: a picture each, which takes the pose, and a dial, which adds as much of it as one
 * likes to what is there.
 */
export function PoseShelf({ at }: { at: Editing }) {
  useEvent(at.document.events, 'values');
  useEvent(at.scene.events, 'pose');
  useEvent(at.scene.events, 'joint');
  const [ofJoint, setOfJoint] = useState(false);
  const {
    document: { saved },
    scene: { joint, dials },
  } = at;
  const posed = Object.keys(at.scene.pose).length > 0;
  const shown = ofJoint && joint >= 0 ? saved.poses.filter((pose) => pose.joint === joint) : saved.poses;
  const folders = foldersOf(at, shown);
  const dialled = Object.keys(dials).length;
  return (
    <section className="group" aria-label="Saved poses">
      <h2>Saved poses</h2>
      <KeepField
        label="Name of the pose"
        act="Save"
        hint={posed ? 'Name this pose' : 'Pose a joint first'}
        disabled={!posed || !at.document.mayChange}
        keep={(name) =>
          at.document.saved.savePose(name, at.scene.pose, pictureBytes(), joint >= 0 ? joint : null)
        }
        failed={(error) => at.document.notify(error.message)}
      />
      <PosesOfFile at={at} />
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
      {folders.map(({ name, poses }) => (
        <details key={name} open aria-label={`Poses of ${name}`}>
          <summary className="card-line">{name}</summary>
          {poses.map((pose) => (
            <PoseRow
              key={pose.id}
              at={at}
              pose={pose}
              posed={posed}
              folders={folders.map((one) => one.name)}
            />
          ))}
        </details>
      ))}
      {dialled > 0 && (
        <Button
          variant="default"
          fullWidth
          mt={6}
          onClick={() =>
            at.scene.dial(
              Object.fromEntries(Object.keys(dials).map((id) => [id, 0])),
              'All dials to nothing',
              'dials',
            )
          }
        >
          {dialled === 1 ? 'Take the dialled pose out' : `Take ${dialled} dialled poses out`}
        </Button>
      )}
    </section>
  );
}

/** Clips of one frame in the file are poses: they are kept here with one click, those of a name that is taken left out. */
function PosesOfFile({ at: { document } }: { at: Editing }) {
  const taken = new Set(document.saved.poses.map(({ name }) => name));
  const found = document.character.clips.filter(
    ({ seconds, name, tracks }) => seconds === 0 && tracks.length > 0 && !taken.has(name),
  );
  if (found.length === 0 || !document.mayChange) return null;
  const keep = (): void =>
    document.saved.addPoses(
      `Keep ${counted(found.length, 'pose')} of the file`,
      found.map((clip) => ({
        name: clip.name.slice(0, 120),
        // Joints that the clip holds at rest are none of its own.
        joints: sampleClip(poseClip(clip.name, sampleClip(clip, 0)), 0),
        joint: null,
        folder: 'Of the file',
      })),
    );
  return (
    <Button variant="default" fullWidth mb={8} onClick={keep}>
      Keep {counted(found.length, 'pose')} of the file
    </Button>
  );
}

/** Poses by folder; those without one by the joint that they belong to, in the skeleton's order. */
function foldersOf(at: Editing, poses: readonly NamedPose[]): { name: string; poses: NamedPose[] }[] {
  const ofJoint = (joint: number | null): string =>
    joint === null ? 'The whole character' : at.document.jointName(joint);
  const folders = new Map<string, NamedPose[]>();
  const sorted = [...poses].sort((a, b) => (a.joint ?? 1e6) - (b.joint ?? 1e6));
  for (const pose of [...poses.filter(({ folder }) => folder), ...sorted.filter(({ folder }) => !folder)]) {
    const name = pose.folder ?? ofJoint(pose.joint);
    const own = folders.get(name);
    if (own) own.push(pose);
    else folders.set(name, [pose]);
  }
  return [...folders].map(([name, own]) => ({ name, poses: own }));
}
