import { counted, jointPath } from '@judoka/core/document';
import { Button, Group, NumberInput, Select, TextInput } from '@mantine/core';
import { ActionButton } from '../../ui/ActionButton.tsx';
import { liveJoints, subtreeOf } from '@judoka/core/skeleton';
import { useState } from 'react';
import {
  addJointTo,
  freeName,
  hangJointOn,
  placeBelow,
  pointsOf,
  removeJointTo,
  renameJointTo,
} from './jointEdits.ts';
import { useEvent } from '../../document/useEvent.ts';
import { settingsChanged } from '../../settings/uiSettings.ts';
import { useAppDispatch, useUiSettings } from '../../settings/store.ts';
import { freeNodes, lacksOtherSide, makeOtherSide, makeJointsOfNodes } from './newJoints.ts';
import { SettingSwitch } from '../../settings/SettingSwitch.tsx';
import { ToolToggle } from '../../settings/ToolToggle.tsx';
import type { Editing } from '../../scene/Editing.ts';
import type { JointPlacement } from './JointPlacement.ts';

type At = Editing & { readonly jointPlacement: JointPlacement };

const AXES = ['x', 'y', 'z'] as const;

/** The skeleton at rest: where joints stand, what they are called and what they hang on. The mesh never moves. */
export function JointsPanel({ at }: { at: At }) {
  useEvent(at.scene.events, 'joint');
  useEvent(at.document.events, 'joints');
  const {
    scene: { joint },
  } = at;
  const isBare = liveJoints(at.document.skeleton).length === 0;
  return (
    <>
      <NewJoints at={at} />
      {!isBare && (
        <section className="group">
          <h2>Place joints</h2>
          <ToolToggle tool="place">Place joints on the stage</ToolToggle>
          <p className="card-line" style={{ margin: '6px 0' }}>
            The mesh stays where it is, and its weights stay as they are.
          </p>
          <SettingSwitch setting="childrenStay" label="What hangs below stays" />
          <SettingSwitch setting="placeInside" label="Free drags keep to the body’s middle" />
        </section>
      )}
      {joint >= 0 && <ChosenJoint key={joint} at={at} joint={joint} />}
      {joint < 0 && !isBare && (
        <section className="group">
          <p className="card-line">Choose a joint: in the roster, or by clicking its bone.</p>
        </section>
      )}
    </>
  );
}

/** Joints where there were none: click by click, or the file's own nodes. */
function NewJoints({ at }: { at: At }) {
  const dispatch = useAppDispatch();
  const { newJointName, tool } = useUiSettings('newJointName', 'tool');
  const nodes = freeNodes(at).length;
  const isBare = liveJoints(at.document.skeleton).length === 0;
  const below = at.scene.joint < 0 ? undefined : at.document.jointName(at.scene.joint);
  return (
    <section className="group" aria-label="New joints">
      <h2>{isBare ? 'This mesh has no joints yet' : 'New joints'}</h2>
      <ToolToggle tool="grow">Add joints by clicking</ToolToggle>
      <p className="card-line" style={{ margin: '6px 0' }}>
        {isBare
          ? 'Click on the body: a joint goes to the middle of what lies there, front to back. The first is the root; hips are a good place.'
          : tool !== 'grow'
            ? 'Each click hangs a joint on the chosen one, in the middle of the body.'
            : below === undefined
              ? 'Click on the joint that the next one hangs on.'
              : `The next click hangs a joint on ${below}. A click on another joint goes on from there.`}
      </p>
      <TextInput
        label="Called"
        placeholder="by what they hang on"
        maxLength={80}
        mb={6}
        value={newJointName}
        onChange={(event) => dispatch(settingsChanged({ newJointName: event.currentTarget.value }))}
      />
      <SettingSwitch setting="placeMirrored" label="The other side too, mirrored" />
      {nodes > 0 && (
        <ActionButton
          name="Make joints of the file’s nodes"
          fullWidth
          variant="default"
          mt={8}
          onClick={() => void makeJointsOfNodes(at).catch(at.document.notifyError)}
        >
          Make joints of {nodes === 1 ? 'the file’s node' : `the file’s ${nodes} nodes`}
        </ActionButton>
      )}
    </section>
  );
}

function ChosenJoint({ at, joint }: { at: At; joint: number }) {
  const { childrenStay, placeMirrored } = useUiSettings('childrenStay', 'placeMirrored');
  const { joints } = at.document.skeleton;
  const place = at.document.restPlace(joint);
  const act = (work: Promise<void>): void => void work.catch(at.document.notifyError);
  const put = (axis: number, value: number): void => {
    if (Math.abs(value - place[axis]) < 1e-7) return;
    const to: [number, number, number] = [...place];
    to[axis] = value;
    // A place that is typed is meant: a joint on the middle leaves it.
    const mirrored = placeMirrored && at.document.pairs.partner[joint] !== joint;
    try {
      at.jointPlacement.show(new Map([[joint, to]]), { childrenStay, mirrored });
      at.jointPlacement.keep(`Place ${at.document.jointName(joint)}`);
    } catch (error) {
      at.document.notifyError(error);
    }
  };
  const withBelow = (each: number): number[] =>
    subtreeOf(at.document.skeleton, each).filter((other) => !joints[other].removed);
  const below = withBelow(joint).length - 1;
  const others = liveJoints(at.document.skeleton)
    .filter((other) => other !== joint)
    .map((other) => ({ value: String(other), label: joints[other].name }));
  return (
    <>
      <section className="group" aria-label="The chosen joint">
        <NameField at={at} joint={joint} act={act} />
        <Group gap={6} grow mb={8}>
          {AXES.map((axis, k) => (
            <NumberInput
              aria-label={`Place along ${axis}`}
              key={`${axis} ${place[k]}`}
              leftSection={
                <span style={{ color: `var(--axis${axis.toUpperCase()})`, fontWeight: 650 }}>{axis}</span>
              }
              leftSectionWidth={20}
              decimalScale={4}
              step={0.01}
              hideControls
              classNames={{ input: 'figures' }}
              value={Number(place[k].toFixed(4))}
              onBlur={(event) => {
                const value = Number(event.currentTarget.value);
                if (Number.isFinite(value) && Math.abs(value - place[k]) > 5e-5) put(k, value);
              }}
              onKeyDown={(event) => event.key === 'Enter' && event.currentTarget.blur()}
            />
          ))}
        </Group>
        <Select
          label="Hangs on"
          searchable
          data={[{ value: '-1', label: 'nothing (a root)' }, ...others]}
          value={String(joints[joint].parent)}
          allowDeselect={false}
          onChange={(value) => value !== null && act(hangJointOn(at, joint, Number(value)))}
        />
        <Partner at={at} joint={joint} others={others} />
        {lacksOtherSide(at, joint) && (
          <ActionButton
            name="Make the other side"
            fullWidth
            variant="default"
            mt={8}
            onClick={() => act(makeOtherSide(at, at.scene.chosenJoints().flatMap(withBelow)))}
          >
            {below === 0 ? 'Make the other side' : `Make the other side, with ${below} below`}
          </ActionButton>
        )}
        <ActionButton
          name="Add a joint below"
          fullWidth
          variant="default"
          mt={8}
          onClick={() =>
            act(
              addJointTo(
                at,
                joint,
                freeName(at, `${at.document.jointName(joint)}_new`),
                placeBelow(at, joint),
              ),
            )
          }
        >
          Add a joint below
        </ActionButton>
      </section>
      <Removal at={at} joint={joint} others={others} act={act} />
    </>
  );
}

interface Option {
  readonly value: string;
  readonly label: string;
}

interface ActProps {
  readonly at: At;
  readonly joint: number;
  readonly act: (work: Promise<void>) => void;
}

function NameField({ at, joint, act }: ActProps) {
  const held = at.document.jointName(joint);
  const [name, setName] = useState<string>();
  const keep = (): void => {
    if (name !== undefined && name.trim() !== held) act(renameJointTo(at, joint, name));
    setName(undefined);
  };
  return (
    <TextInput
      label="Name"
      mb={8}
      value={name ?? held}
      onChange={(event) => setName(event.currentTarget.value)}
      onBlur={keep}
      onKeyDown={(event) => {
        if (event.key === 'Enter') event.currentTarget.blur();
        if (event.key === 'Escape') setName(undefined);
      }}
    />
  );
}

const BASIS = { name: 'by name', place: 'by place', given: 'set by hand' } as const;

/** The joint of the other side, as it was found, and correctable. */
function Partner({ at, joint, others }: { at: At; joint: number; others: readonly Option[] }) {
  useEvent(at.document.events, 'values');
  const { partner, basis } = at.document.pairs;
  const found = basis[joint];
  const set = (value: string | null): void => {
    const other = value === null ? -1 : Number(value);
    const paths: Record<string, number> = {};
    const put = (of: number, to: number): void => {
      paths[jointPath('pairs', of)] = to;
    };
    put(joint, other);
    // Nobody keeps a partner who has another one now.
    for (const left of [partner[joint], other >= 0 ? partner[other] : -1])
      if (left >= 0 && left !== joint && left !== other) put(left, -1);
    if (other >= 0) put(other, joint);
    at.document.changeSettings(paths);
  };
  return (
    <Select
      label={`Other side${found ? `, found ${BASIS[found]}` : ''}`}
      mt={8}
      searchable
      data={[
        { value: '-1', label: 'none' },
        { value: String(joint), label: 'itself: on the middle' },
        ...others,
      ]}
      value={String(partner[joint] ?? -1)}
      allowDeselect={false}
      onChange={set}
    />
  );
}

/** Says first what goes where. */
function Removal({ at, joint, others, act }: ActProps & { others: readonly Option[] }) {
  useEvent(at.document.events, 'weights');
  const [asking, setAsking] = useState(false);
  const { joints } = at.document.skeleton;
  const { parent } = joints[joint];
  const below = liveJoints(at.document.skeleton).filter((other) => joints[other].parent === joint);
  const [receiver, setReceiver] = useState(String(parent >= 0 ? parent : (below[0] ?? -1)));
  if (!asking) {
    return (
      <section className="group">
        <ActionButton
          name="Remove the chosen joint"
          fullWidth
          variant="default"
          onClick={() => setAsking(true)}
        >
          Remove {at.document.jointName(joint)}…
        </ActionButton>
      </section>
    );
  }
  const points = pointsOf(at, joint);
  const named = below.map((other) => joints[other].name).join(', ');
  return (
    <section className="group" aria-label="Removal">
      <h2>Remove {at.document.jointName(joint)}</h2>
      <p className="card-line">
        {points > 0
          ? `${counted(points, 'point has', 'points have')} weight of it, which goes to:`
          : 'No point has weight of it.'}
      </p>
      {points > 0 && (
        <Select
          aria-label="Receiver of the weight"
          searchable
          data={[...others]}
          value={receiver}
          allowDeselect={false}
          onChange={(value) => setReceiver(value ?? '-1')}
        />
      )}
      {below.length > 0 && (
        <p className="card-line">
          {named} {below.length === 1 ? 'hangs' : 'hang'} on {parent >= 0 ? joints[parent].name : 'nothing'}{' '}
          from then on, and {below.length === 1 ? 'stays' : 'stay'} in place.
        </p>
      )}
      <Group gap={6} grow mt={6}>
        <Button onClick={() => act(removeJointTo(at, joint, points > 0 ? Number(receiver) : parent))}>
          Remove
        </Button>
        <Button variant="default" onClick={() => setAsking(false)}>
          Keep it
        </Button>
      </Group>
    </section>
  );
}
