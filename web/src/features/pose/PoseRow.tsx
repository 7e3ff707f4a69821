import { ActionIcon, Autocomplete, Menu, Slider } from '@mantine/core';
import type { SavedPose, WithId } from '@judoka/core/document';
import { MAX_DIAL, mirrorWholePose, otherSideName, type Pose } from '@judoka/core/skeleton';
import { IconDots } from '@tabler/icons-react';
import { useState } from 'react';
import { useAttachmentUrl } from '../../document/useAttachmentUrl.ts';
import type { Editing } from '../../scene/Editing.ts';
import { stageActions } from '../../scene/stageActions.ts';
import { NumberField } from '../../ui/NumberField.tsx';

export type NamedPose = WithId<SavedPose>;

/** How far the slider of a dial goes; further, and below nothing, by number. */
const MOST = 1.5;

/** The stage as a small PNG; null where it cannot be had. */
export function pictureBytes(): Uint8Array<ArrayBuffer> | null {
  const address = stageActions()?.picture();
  if (!address) return null;
  return Uint8Array.from(atob(address.slice(address.indexOf(',') + 1)), (letter) => letter.charCodeAt(0));
}

interface PoseRowProps {
  readonly at: Editing;
  readonly pose: NamedPose;
  /** Whether the character is posed now. */
  readonly posed: boolean;
  readonly folders: readonly string[];
}

/** A saved pose: taken by its picture, dialled by its slider; what else is done with it in its menu. */
export function PoseRow({ at, pose, posed, folders }: PoseRowProps) {
  const { document, scene } = at;
  const [filing, setFiling] = useState(false);
  const known = document.knownJoints(pose.joints);
  const picture = useAttachmentUrl(document.id, pose.picture);
  const amount = scene.dials[pose.id] ?? 0;
  const dial = (to: number): void => scene.dial({ [pose.id]: to }, `Dial ${pose.name}`, `dial:${pose.id}`);
  const take = (): void => scene.setPose(known, `Pose ${pose.name}`, `saved:${pose.id}`, { [pose.id]: 1 });
  return (
    <div className="pose-row" role="group" aria-label={`Pose ${pose.name}`}>
      <button
        type="button"
        className="pose-picture"
        title={`Take the pose “${pose.name}”`}
        aria-label={`Take the pose ${pose.name}`}
        onClick={take}
      >
        {picture ? <img src={picture} alt="" /> : <span>no picture</span>}
      </button>
      <div className="pose-dial">
        <div className="pose-head">
          <span title={pose.name}>{pose.name}</span>
          <PoseMenu at={at} pose={pose} known={known} posed={posed} file={() => setFiling(true)} />
        </div>
        {filing ? (
          <FolderField at={at} pose={pose} folders={folders} done={() => setFiling(false)} />
        ) : (
          <div className="pose-head">
            <Slider
              size="sm"
              style={{ flex: 1 }}
              min={0}
              max={MOST}
              step={0.01}
              thumbLabel={`How much of ${pose.name}`}
              label={(value) => value.toFixed(2)}
              value={Math.min(MOST, Math.max(0, amount))}
              onChange={dial}
            />
            <NumberField
              size="xs"
              w={48}
              aria-label={`How much of ${pose.name}, as a number`}
              min={-MAX_DIAL}
              max={MAX_DIAL}
              step={0.1}
              decimalScale={2}
              value={Number(amount.toFixed(2))}
              onChange={dial}
            />
          </div>
        )}
      </div>
    </div>
  );
}

function PoseMenu({
  at: { document, scene },
  pose,
  known,
  posed,
  file,
}: Omit<PoseRowProps, 'folders'> & { readonly known: Pose; readonly file: () => void }) {
  const act = (work: Promise<void>): void => void work.catch(document.notifyError);
  const mirrored = (): Pose => mirrorWholePose(document.skeleton, known, document.pairs);
  const other = otherSideName(pose.name) ?? `${pose.name}, mirrored`;
  const { joint } = pose;
  const partner = joint === null ? -1 : document.pairs.partner[joint];
  return (
    <Menu position="bottom-end" withinPortal>
      <Menu.Target>
        <ActionIcon variant="subtle" size="sm" aria-label={`More for the pose ${pose.name}`}>
          <IconDots size={16} />
        </ActionIcon>
      </Menu.Target>
      <Menu.Dropdown>
        <Menu.Item onClick={() => scene.setPose(mirrored())}>Take it mirrored</Menu.Item>
        {document.mayChange && (
          <>
            <Menu.Item
              onClick={() =>
                document.saved.addPoses(`Save pose ${other}`, [
                  {
                    name: other.slice(0, 120),
                    joints: mirrored(),
                    joint: partner >= 0 ? partner : joint,
                    ...(pose.folder !== undefined && { folder: pose.folder }),
                  },
                ])
              }
            >
              Save its other side as “{other}”
            </Menu.Item>
            <Menu.Item
              disabled={!posed}
              onClick={() =>
                act(document.saved.changePose(pose.id, { joints: scene.pose, picture: pictureBytes() }))
              }
            >
              Make it what the stage shows
            </Menu.Item>
            <Menu.Item onClick={file}>Put it into a folder…</Menu.Item>
            <Menu.Item onClick={() => document.saved.removePose(pose.id)}>Drop it</Menu.Item>
          </>
        )}
      </Menu.Dropdown>
    </Menu>
  );
}

function FolderField({
  at,
  pose,
  folders,
  done,
}: Omit<PoseRowProps, 'posed'> & { readonly done: () => void }) {
  const [name, setName] = useState(pose.folder ?? '');
  const keep = (chosen: string): void => {
    done();
    const folder = chosen.trim() === '' ? undefined : chosen.trim().slice(0, 120);
    if (folder === pose.folder) return;
    at.document.saved.changePose(pose.id, { folder }).catch(at.document.notifyError);
  };
  return (
    <Autocomplete
      size="xs"
      ref={(field) => field?.focus()}
      aria-label={`Folder of the pose ${pose.name}`}
      placeholder="Name of the folder"
      data={[...new Set(folders)]}
      value={name}
      onChange={setName}
      onOptionSubmit={keep}
      onBlur={() => keep(name)}
      onKeyDown={(event) => {
        if (event.key === 'Enter') keep(name);
        else if (event.key === 'Escape') done();
      }}
    />
  );
}
