import { counted } from '@judoka/core/document';
import { ActionIcon, Button, FileButton, Select } from '@mantine/core';
import { liveJoints } from '@judoka/core/skeleton';
import { MAX_BVH_BYTES } from '@judoka/core/formats';
import type { JointTrial } from '@judoka/core/analysis/bends';
import { IconX } from '@tabler/icons-react';
import { useState } from 'react';
import type { ClipChoice, ClipKind, ClipPlayer } from './ClipPlayer.ts';
import { useEvent } from '../../document/useEvent.ts';
import { strainShown } from '../../settings/uiSettings.ts';
import { store } from '../../settings/store.ts';
import { Ranking } from '../../trial/Ranking.tsx';
import { RunButton } from '../../trial/RunButton.tsx';
import { stageActions } from '../../scene/stageActions.ts';
import type { Editing } from '../../scene/Editing.ts';
import type { Trial } from '../../trial/Trial.ts';
import './clips.css';

type At = Editing & { readonly clips: ClipPlayer; readonly trial: Trial };

const KINDS: Readonly<Record<ClipKind, string>> = {
  file: 'Of the character',
  poses: 'Kept here',
  motion: 'Brought in',
  shelf: 'On the shelf',
};

/** Reads a motion file, and puts it on the character. */
export function takeMotion(at: At, file: File): void {
  const refuse = (error: Error): void =>
    at.document.notify(`“${file.name}” was not taken in. ${error.message}`);
  if (!/\.bvh$/i.test(file.name)) {
    refuse(new Error('Motions come as .bvh files.'));
    return;
  }
  if (file.size > MAX_BVH_BYTES) {
    refuse(new Error('It is larger than 64 MB.'));
    return;
  }
  void file
    .text()
    .then((text) => at.clips.add(file.name.replace(/\.bvh$/i, ''), text))
    .catch(refuse);
}

/** Clips: of the file, brought in, and on the shelf; the one that plays is measured here. */
export function ClipsPanel({ at }: { at: At }) {
  useEvent(at.clips.events, 'clip');
  useEvent(at.trial.events, 'changed');
  const { clips, trial } = at;
  const { current } = clips;
  const choices = clips.choices();
  return (
    <>
      <section className="group" aria-label="Clips">
        <h2>Clips</h2>
        {(Object.keys(KINDS) as ClipKind[]).map((kind) => (
          <Choices key={kind} at={at} kind={kind} choices={choices.filter((one) => one.kind === kind)} />
        ))}
        <FileButton accept=".bvh" onChange={(file) => file && takeMotion(at, file)}>
          {(props) => (
            <Button {...props} variant="default" fullWidth mt={6}>
              Bring in a .bvh
            </Button>
          )}
        </FileButton>
        {clips.failure && <div className="trouble">{clips.failure}</div>}
        {clips.loading && <p className="card-line">Putting it on the skeleton</p>}
      </section>
      {current && current.tracks.length > 0 && (
        <section className="group" aria-label="Measure the clip">
          <h2>Bends of “{current.name}”</h2>
          <RunButton
            running={trial.running}
            stop={() => trial.stop()}
            run={() => clips.choice && void trial.runClip(current, clips.choice.key)}
            label={`Measure ${counted(clips.frames, 'frame')}`}
          />
          {trial.failure && <div className="trouble">{trial.failure}</div>}
        </section>
      )}
      {trial.clip && trial.clip.clip === clips.choice?.key && (
        <Ranking at={at} result={trial.clip} show={(one, i) => showFrame(at, one, i)} />
      )}
      {clips.mapping && <MotionTable at={at} />}
    </>
  );
}

/** Goes to the frame of a measured pose, and looks at its joint. */
export function showFrame(at: At, { joint, poses }: JointTrial, i: number): void {
  const posed = poses[i].at;
  if (!('frame' in posed)) return;
  at.scene.chooseJoint(joint);
  at.clips.goTo(posed.frame);
  store.dispatch(strainShown());
  stageActions()?.frameJoint();
}

function Choices({ at, kind, choices }: { at: At; kind: ClipKind; choices: readonly ClipChoice[] }) {
  const { clips } = at;
  if (choices.length === 0) return null;
  return (
    <div role="group" aria-label={KINDS[kind]} style={{ marginBottom: 6 }}>
      <div className="card-line">{KINDS[kind]}</div>
      <div className="clip-list">
        {choices.map(({ key, name }) => (
          <span key={key} className="clip-choice" data-chosen={clips.choice?.key === key}>
            <button
              type="button"
              aria-pressed={clips.choice?.key === key}
              onClick={() => void clips.choose(key)}
            >
              {name}
            </button>
            {kind === 'motion' && (
              <ActionIcon
                size="xs"
                variant="subtle"
                aria-label={`Remove the motion ${name}`}
                onClick={() => clips.remove(key)}
              >
                <IconX size={12} />
              </ActionIcon>
            )}
          </span>
        ))}
      </div>
    </div>
  );
}

/** Which joint of the motion each joint follows; corrections are kept with the motion. */
function MotionTable({ at }: { at: At }) {
  const [all, setAll] = useState(false);
  const {
    clips,
    document: { skeleton },
  } = at;
  const { map, names } = clips.mapping ?? { map: [], names: [] };
  const live = liveJoints(skeleton);
  const followed = live.filter((joint) => map[joint] >= 0);
  const unused = names.length - new Set(followed.map((joint) => map[joint])).size;
  const listed = all || followed.length === 0 ? live : followed;
  const data = [
    { value: '-1', label: 'nothing' },
    ...names.map((name, i) => ({ value: String(i), label: name })),
  ];
  return (
    <section className="group" aria-label="Who follows whom">
      <h2>Who follows whom</h2>
      <p className="card-line">
        {followed.length} of {live.length} joints follow the motion; {unused} of its {names.length} joints
        move none.
      </p>
      <table className="report">
        <tbody>
          {listed.map((joint) => (
            <tr key={joint}>
              <th scope="row">{at.document.jointName(joint)}</th>
              <td>
                <Select
                  size="xs"
                  searchable
                  allowDeselect={false}
                  aria-label={`${at.document.jointName(joint)} follows`}
                  data={data}
                  value={String(map[joint] ?? -1)}
                  onChange={(value) => void clips.follow(joint, Number(value)).catch(at.document.notifyError)}
                />
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {followed.length > 0 && (
        <Button variant="subtle" fullWidth onClick={() => setAll(!all)}>
          {all ? 'Only those that follow' : 'All joints'}
        </Button>
      )}
    </section>
  );
}
