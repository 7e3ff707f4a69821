import { Button, Group, Select, Switch } from '@mantine/core';
import {
  counted,
  countInexact,
  type Delivery,
  type DeliveryFormat,
  WEIGHT_FORMAT_WORDS,
  WEIGHT_FORMATS,
  type WeightFormat,
  isSoundRibbon,
  shapesOfDocument,
} from '@judoka/core/document';
import { messageOf } from '@judoka/core/errors';
import { useEffect, useMemo, useState } from 'react';
import { useEvent } from '../../document/useEvent.ts';
import type { Editing } from '../../scene/Editing.ts';
import { ActionButton } from '../../ui/ActionButton.tsx';
import { saveFile } from '../../ui/saveFile.ts';
import { type ClipSource, DrawingExport } from './DrawingExport.tsx';
import { RoundingCost } from './CostFigures.tsx';
import type { Delivering } from './Delivering.ts';

type At = Editing & ClipSource & { readonly delivering: Delivering };

const FORMATS: Readonly<Record<DeliveryFormat, string>> = {
  glb: '.glb, one file',
  gltf: '.gltf with its buffer, zipped',
  dae: '.dae, COLLADA 1.4.1',
};

/** How the character leaves, and the button with which it does. */
export function ExportPage({ at }: { at: At }) {
  useEvent(at.document.events, 'saving');
  useEvent(at.document.events, 'values');
  useEvent(at.delivering.events, 'changed');
  const { drawing } = at.document.character;
  const { delivery } = at.delivering;
  const set = (change: Partial<Delivery>): void => at.delivering.setDelivery(change);
  return (
    <>
      <section className="group">
        <h2>Export</h2>
        <p className="card-line">
          {drawing
            ? 'Its layers as filled meshes, one behind the other, with your weights, joints and clips.'
            : 'The file as it came, with your weights and joints: materials, textures, other nodes, clips and extras are kept.'}
        </p>
        <Select
          label="File"
          data={Object.entries(FORMATS).map(([value, label]) => ({ value, label }))}
          value={delivery.format}
          allowDeselect={false}
          onChange={(format) => set({ format: format as DeliveryFormat })}
        />
        <Losses at={at} />
        <Select
          label="Weights in"
          mt={8}
          data={WEIGHT_FORMATS.map((value) => ({ value, label: WEIGHT_FORMAT_WORDS[value] }))}
          value={delivery.weights}
          allowDeselect={false}
          onChange={(weights) => set({ weights: weights as WeightFormat })}
        />
        {delivery.weights !== 'f32' && <RoundingCost at={at} format={delivery.weights} />}
        <Switches at={at} set={set} />
        <DeliverButton at={at} />
      </section>
      {drawing && <DrawingExport at={at} drawing={drawing} />}
    </>
  );
}

/** What cannot go along, before it stays behind. */
function Losses({ at }: { at: At }) {
  const { losses: ofFormat, delivery } = at.delivering;
  useEvent(at.document.events, 'values');
  useEffect(() => {
    at.delivering.findLosses().catch(at.document.notifyError);
  }, [at, delivery.format]);
  const losses = [
    ...followerWords(at),
    ...ribbonWords(at),
    ...turnWords(at),
    ...(delivery.format === 'dae' ? ofFormat : []),
  ];
  if (losses.length === 0) return null;
  return (
    <ul className="card-line" aria-label="What stays behind" style={{ margin: '4px 0', paddingLeft: 16 }}>
      {losses.map((words) => (
        <li key={words}>{words}</li>
      ))}
    </ul>
  );
}

/** Files know nothing of parts that follow others. */
const followerWords = ({ document }: At): string[] =>
  [...document.following.follows].flatMap(([part, { driver, isOff }]) =>
    isOff
      ? []
      : [
          `${document.partName(part)} follows ${document.partName(driver)} here, and leaves with its own weights: bake it first, under Bind, Another.`,
        ],
  );

/** Nor of ribbons. */
const ribbonWords = ({ document }: At): string[] =>
  document.settings.ribbons.flatMap((ribbon) =>
    ribbon.isOff || !isSoundRibbon(ribbon, document.skeleton)
      ? []
      : [
          `The ribbon ${ribbon.name} holds ${document.partName(ribbon.part)} here, which leaves with its own weights: bake it first, under Bind, By hand.`,
        ],
  );

/** Nor of shapes that go on by a joint's turn. */
const turnWords = ({ document }: At): string[] =>
  shapesOfDocument(document.character.morphs, document.settings).flatMap(({ name, turn, isLeftOut }) =>
    turn && !isLeftOut
      ? [
          `“${name}” goes on by the turn of ${document.jointName(turn.joint)} here, from ${turn.from}° to ${turn.to}°; every clip of the file has its amounts, but a file knows no turns: what else moves the joint has to turn the shape on as well.`,
        ]
      : [],
  );

function Switches({ at, set }: { at: At; set: (change: Partial<Delivery>) => void }) {
  const { delivery } = at.delivering;
  const { drawing } = at.document.character;
  const { motions, poses } = at.document.settings;
  const inexact = useMemo(
    () => at.document.parts.reduce((sum, { index }) => sum + countInexact(at.document.character, index), 0),
    [at],
  );
  const one = (field: keyof Delivery, label: string, description: string) => (
    <Switch
      mt={8}
      checked={delivery[field] === true}
      onChange={(event) => set({ [field]: event.currentTarget.checked })}
      {...{ label, description }}
    />
  );
  return (
    <>
      {inexact > 0 &&
        one(
          'exactSums',
          `Sums to one, exactly, of ${counted(inexact, 'vertex', 'vertices')} that nobody edited`,
          'They are off by some millionths, which validators of the format refuse.',
        )}
      {drawing &&
        one('asMeshes', 'As filled meshes', 'Else as points of the outlines, to be brought in here again.')}
      {motions.length > 0 &&
        one(
          'withMotions',
          `With ${counted(motions.length, 'motion')} that ${motions.length === 1 ? 'was' : 'were'} brought in`,
          'As clips of the character, beside those that it came with.',
        )}
      {poses.length > 0 &&
        one('withPoses', `With ${counted(poses.length, 'kept pose')}`, 'Each as a clip of one frame.')}
      {one(
        'leavesEmptyJoints',
        'Joints without weight left out',
        'Of the lists of the skins; their nodes stay.',
      )}
      {delivery.format !== 'dae' &&
        one('isPacked', 'Packed', 'EXT_meshopt_compression: smaller, for whoever can unpack it.')}
    </>
  );
}

function DeliverButton({ at }: { at: At }) {
  const { delivering } = at;
  useEvent(at.document.events, 'shown');
  const [busy, setBusy] = useState(false);
  const isOpen = at.document.proposals.current !== undefined;
  const saved = at.document.saveState.kind === 'saved';
  const open = delivering.lines().filter(({ isMet }) => !isMet);
  const run = (): void => {
    setBusy(true);
    delivering
      .deliver()
      .then(async (line) => saveFile(line.file, await delivering.fetchFile(line), 'application/octet-stream'))
      .catch((error: unknown) => at.document.notify(`It has not left. ${messageOf(error)}`))
      .finally(() => setBusy(false));
  };
  return (
    <Group gap={4} mt={12}>
      {open.length > 0 && (
        <div className="trouble" role="status">
          {counted(open.length, 'limit')} of “{delivering.profile.name}” {open.length === 1 ? 'is' : 'are'}{' '}
          not met.
        </div>
      )}
      {at.document.mayChange ? (
        <ActionButton name="Deliver" fullWidth loading={busy} disabled={!saved || isOpen} onClick={run}>
          Deliver
        </ActionButton>
      ) : (
        <Button fullWidth disabled>
          Guests fetch what was delivered
        </Button>
      )}
      {!saved && <div className="card-line">Waiting until everything is saved.</div>}
      {isOpen && (
        <div className="card-line">
          What is proposed at the foot of the stage would stay behind: keep or drop it first.
        </div>
      )}
    </Group>
  );
}
