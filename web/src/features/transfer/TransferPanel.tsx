import { Button, Checkbox, Group, Progress, Select } from '@mantine/core';
import { counted } from '@judoka/core/document';
import { useEffect, useState } from 'react';
import { useDropzone } from 'react-dropzone';
import { useCharactersQuery } from '../../api/api.ts';
import { useEvent } from '../../document/useEvent.ts';
import { InfluenceLimit } from '../../settings/InfluenceLimit.tsx';
import { ActionButton } from '../../ui/ActionButton.tsx';
import { NumberField } from '../../ui/NumberField.tsx';
import { Segments } from '../../ui/Segments.tsx';
import { JointTable } from './JointTable.tsx';
import type { TransferAt } from './transferAt.ts';
import type { SourceKind } from './Transfers.ts';
import './transfer.css';

const KINDS: Readonly<Record<SourceKind, string>> = { file: 'A file', shelf: 'The shelf', own: 'A part' };

/** Weights from another surface: choose it, look at how it lies and which joints go where, take what it gives. */
export function TransferPanel({ at }: { at: TransferAt }) {
  const { transfers } = at;
  useEvent(transfers.events, 'changed');
  const [kind, setKind] = useState<SourceKind>('file');
  useEffect(() => {
    transfers.setPageOpen(true);
    return () => transfers.setPageOpen(false);
  }, [transfers]);
  const { busy, source, prepared, failure } = transfers;
  return (
    <>
      <section className="group" aria-label="Source">
        <h2>From another</h2>
        <Segments
          name="Where the weights come from"
          choices={KINDS}
          value={kind}
          set={(next) => {
            setKind(next);
            if (next === 'own') void transfers.openOwn();
          }}
        />
        {kind === 'file' && <FileSource at={at} />}
        {kind === 'shelf' && <ShelfSource at={at} />}
        {source && <SourceParts at={at} />}
        {busy && (
          <div className="transfer-busy" role="status">
            <span>{busy.what} …</span>
            <Progress value={busy.share * 100} style={{ flex: 1 }} />
            <Button size="compact-xs" variant="default" onClick={() => transfers.stop()}>
              Stop
            </Button>
          </div>
        )}
        {failure && (
          <div className="trouble" role="alert">
            {failure}
          </div>
        )}
      </section>
      {prepared && <Placement at={at} />}
      {prepared && <JointTable at={at} />}
      {prepared && <Wish at={at} />}
    </>
  );
}

function FileSource({ at: { transfers } }: { at: TransferAt }) {
  const { getRootProps, getInputProps, isDragActive } = useDropzone({
    multiple: false,
    onDrop: (files) => {
      const file = files.at(0);
      if (file) void transfers.openFile(file);
    },
  });
  return (
    <div {...getRootProps()} className="transfer-drop" data-over={isDragActive}>
      <input {...getInputProps()} aria-label="File with weights" />
      Drop a character’s file with painted weights here, or click to choose one
    </div>
  );
}

function ShelfSource({ at }: { at: TransferAt }) {
  const { data = [], isError } = useCharactersQuery(undefined);
  const others = data.filter(({ id }) => id !== at.document.id);
  const [chosen, setChosen] = useState<string | null>(null);
  return (
    <Select
      size="xs"
      mt={6}
      aria-label="Character of the shelf"
      placeholder={
        isError
          ? 'The shelf cannot be reached now'
          : others.length === 0
            ? 'No other is there'
            : 'Choose a character'
      }
      searchable
      data={others.map(({ id, name, points }) => ({
        value: id,
        label: `${name}, ${counted(points, 'point')}`,
      }))}
      value={chosen}
      onChange={(id) => {
        setChosen(id);
        const card = others.find((each) => each.id === id);
        if (card) void at.transfers.openShelf(card.id, card.name);
      }}
    />
  );
}

/** Which parts of the source give weights. */
function SourceParts({ at: { transfers } }: { at: TransferAt }) {
  const { source, listed, name } = transfers;
  if (!source) return null;
  const toggle = (part: number): void =>
    transfers.setListed(
      listed.includes(part)
        ? listed.filter((each) => each !== part)
        : [...listed, part].sort((a, b) => a - b),
    );
  return (
    <fieldset className="transfer-parts">
      <legend className="card-line">
        {name}: {counted(source.joints.length, 'joint')}. Taken from
      </legend>
      {source.parts.map((part, i) => (
        <Checkbox
          key={`${i} ${part.name}`}
          size="xs"
          label={`${part.name}, ${counted(part.points, 'point')}`}
          checked={listed.includes(i)}
          onChange={() => toggle(i)}
        />
      ))}
    </fieldset>
  );
}

/** How the source lies over the character, and what a person moves it by. */
function Placement({ at: { transfers } }: { at: TransferAt }) {
  const { prepared, moves, isShownOver } = transfers;
  if (!prepared) return null;
  const { basis, alignment, isBent } = prepared;
  const words =
    basis === 'alike'
      ? 'It stands just as this character does.'
      : basis === 'unknown'
        ? 'Too few joints match to say how it lies: move it by hand, or choose joints below.'
        : `Brought over by its joints, ${scaleWords(alignment.scale)}${isBent ? '; its limbs are bent and stretched to meet the joints here' : ''}.`;
  return (
    <section className="group" aria-label="How it lies">
      <h2>How it lies</h2>
      <p className="card-line">{words}</p>
      <Checkbox
        size="xs"
        mb={6}
        label="Show it over the character, at rest"
        checked={isShownOver}
        onChange={(event) => transfers.setShownOver(event.currentTarget.checked)}
      />
      <Group gap={4} wrap="nowrap">
        {(['x', 'y', 'z'] as const).map((axis) => (
          <NumberField
            key={axis}
            size="xs"
            label={axis}
            aria-label={`Move along ${axis}, in shares of the size`}
            value={moves[axis]}
            min={-10}
            max={10}
            step={0.01}
            decimalScale={3}
            onChange={(along) => transfers.setMoves({ [axis]: along })}
          />
        ))}
        <NumberField
          size="xs"
          label="Turn"
          value={moves.turn}
          min={-360}
          max={360}
          step={5}
          suffix="°"
          onChange={(turn) => transfers.setMoves({ turn })}
        />
        <NumberField
          size="xs"
          label="Size"
          value={moves.scale}
          min={0.001}
          max={1000}
          step={0.05}
          decimalScale={3}
          prefix="×"
          onChange={(scale) => scale > 0 && transfers.setMoves({ scale })}
        />
      </Group>
    </section>
  );
}

const scaleWords = (scale: number): string =>
  Math.abs(scale - 1) < 0.01
    ? 'in its own size'
    : `×${scale >= 10 ? scale.toFixed(0) : scale.toPrecision(2)} in size`;

/** What is asked for, and the button. */
function Wish({ at }: { at: TransferAt }) {
  const { transfers, scene } = at;
  useEvent(scene.events, 'selection');
  const { wish, busy, report } = transfers;
  const { count } = scene.selection;
  return (
    <section className="group" aria-label="What is taken">
      <h2>What is taken</h2>
      <Group gap={6} wrap="nowrap" grow>
        <NumberField
          size="xs"
          label="No farther than"
          value={Number((wish.distance * 100).toFixed(2))}
          min={0.01}
          max={100}
          step={0.5}
          decimalScale={2}
          suffix=" % of size"
          onChange={(percent) => percent > 0 && transfers.setWish({ distance: percent / 100 })}
        />
        <NumberField
          size="xs"
          label="Facing within"
          value={wish.angle}
          min={1}
          max={180}
          step={5}
          suffix="°"
          onChange={(angle) => angle >= 1 && transfers.setWish({ angle })}
        />
      </Group>
      <p className="card-line">What has no counterpart within that is filled from the surface around it.</p>
      <InfluenceLimit />
      <Checkbox
        size="xs"
        my={6}
        label={`Selected points only (${count.toLocaleString('en')})`}
        checked={wish.onlySelected}
        disabled={count === 0 && !wish.onlySelected}
        onChange={(event) => transfers.setWish({ onlySelected: event.currentTarget.checked })}
      />
      <ActionButton
        name="Take weights from the source"
        fullWidth
        loading={busy?.what === 'Transferring'}
        disabled={busy !== undefined || (wish.onlySelected && count === 0)}
        onClick={() => void transfers.run()}
      >
        {wish.onlySelected && count === 0 ? 'Select points first' : 'Take its weights'}
      </ActionButton>
      {report && (
        <p className="card-line" data-matched={report.matched} data-filled={report.filled}>
          {`${counted(report.matched, 'point')} matched, ${report.filled.toLocaleString('en')} filled`}
          {report.rigid > 0 && `, ${report.rigid.toLocaleString('en')} on rigid pieces`}
          {report.far > 0 && `, ${report.far.toLocaleString('en')} from far`}.
        </p>
      )}
    </section>
  );
}
