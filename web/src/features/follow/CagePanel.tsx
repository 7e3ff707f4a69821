import { ActionIcon, Button, Group, Loader, MultiSelect, Switch, Tooltip } from '@mantine/core';
import { counted } from '@judoka/core/document';
import { MIN_CAGE_POINTS } from '@judoka/core/operations/cage';
import { IconX } from '@tabler/icons-react';
import { useState } from 'react';
import { useEvent } from '../../document/useEvent.ts';
import type { Editing } from '../../scene/Editing.ts';
import { ActionButton } from '../../ui/ActionButton.tsx';
import { NumberField } from '../../ui/NumberField.tsx';
import type { CageMaking } from './CageMaking.ts';
import { areOnBothSides, cagesOf, mostCagePoints, partsToHold, takeCageAway } from './cages.ts';

export type CageAt = Editing & { readonly cageMaking: CageMaking };

const DEFAULT_POINTS = 200;

/** Coarse bodies about parts, made here, which the parts then follow. */
export function CagePanel({ at }: { at: CageAt }) {
  useEvent(at.document.events, 'values');
  useEvent(at.scene.events, 'parts');
  const cages = cagesOf(at);
  const { document } = at;
  if (document.character.drawing || (cages.length === 0 && !document.mayChange)) return null;
  return (
    <section className="group" aria-label="Cages">
      <h2>Cages</h2>
      <p className="card-line">
        A cage is a coarse closed body about parts. Few points are easily weighted; what is within moves
        smoothly along.
      </p>
      {cages.map((cage) => (
        <CageRow key={cage} at={at} cage={cage} />
      ))}
      {document.mayChange && <NewCage at={at} />}
    </section>
  );
}

function CageRow({ at, cage }: { readonly at: CageAt; readonly cage: number }) {
  const { document, scene } = at;
  const name = document.partName(cage);
  const { visible, part } = scene.parts[cage];
  const followers = [...document.following.follows].filter(([, { driver }]) => driver === cage);
  return (
    <div className="follower" data-cage={name}>
      <Group gap={6} justify="space-between" wrap="nowrap">
        <span>{name}</span>
        {document.mayChange && (
          <Tooltip label="Take the cage away">
            <ActionIcon
              variant="subtle"
              aria-label={`Take ${name} away`}
              onClick={() => void takeCageAway(at, cage).catch(document.notifyError)}
            >
              <IconX size={16} />
            </ActionIcon>
          </Tooltip>
        )}
      </Group>
      <p className="card-line">
        {counted(part.pointCount, 'point')}.{' '}
        {followers.length === 0
          ? 'Nothing follows it.'
          : `${followers.map(([own]) => document.partName(own)).join(', ')} ${followers.length === 1 ? 'follows' : 'follow'} it.`}{' '}
        {visible
          ? 'Paint and bind it like any part; its points are moved under Check-in, Mesh.'
          : 'While it is hidden it is neither painted nor bound.'}
      </p>
      <Group gap={6}>
        <Button
          size="compact-xs"
          variant="default"
          onClick={() => scene.visibility.setVisible(cage, !visible)}
        >
          {visible ? 'Hide it' : 'Show it'}
        </Button>
        <Button size="compact-xs" variant="default" onClick={() => scene.visibility.isolate(cage)}>
          {scene.parts.every((each) => each.visible === (each.index === cage)) ? 'Show all' : 'Show it alone'}
        </Button>
      </Group>
    </div>
  );
}

function NewCage({ at }: { readonly at: CageAt }) {
  const { document, cageMaking } = at;
  useEvent(cageMaking.events, 'changed');
  const [chosen, setChosen] = useState<readonly number[]>([]);
  const [wanted, setWanted] = useState(DEFAULT_POINTS);
  const [wantsEven, setWantsEven] = useState<boolean>();
  const [follow, setFollow] = useState(true);
  const parts = chosen.filter((part) => partsToHold(at).includes(part));
  const most = Math.max(MIN_CAGE_POINTS, mostCagePoints(at, parts));
  const points = Math.min(wanted, most);
  const isEven = wantsEven ?? areOnBothSides(at, parts);
  const make = (): void => {
    cageMaking
      .make({ parts, points, isEven, follow })
      .then(() => setChosen([]))
      .catch(document.notifyError);
  };
  return (
    <>
      <MultiSelect
        size="xs"
        mb={6}
        label="About"
        placeholder={chosen.length === 0 ? 'Choose parts' : undefined}
        searchable
        selectFirstOptionOnChange
        hidePickedOptions
        data={partsToHold(at).map((i) => ({ value: String(i), label: document.partName(i) }))}
        value={parts.map(String)}
        onChange={(values) => setChosen(values.map(Number))}
      />
      <NumberField
        size="xs"
        mb={6}
        label="Points, at most"
        min={MIN_CAGE_POINTS}
        max={most}
        value={points}
        onChange={setWanted}
        steppers
        step={20}
      />
      <Switch
        mb={6}
        label="The same on both sides"
        checked={isEven}
        onChange={({ currentTarget: { checked } }) => setWantsEven(checked)}
      />
      <Switch
        mb={8}
        label="The parts follow it from then on"
        checked={follow}
        onChange={({ currentTarget: { checked } }) => setFollow(checked)}
      />
      {cageMaking.isBusy ? (
        <Group gap={8} justify="space-between" wrap="nowrap" role="status">
          <Group gap={8} wrap="nowrap">
            <Loader size="xs" />
            <span className="card-line">Drawing the cage close …</span>
          </Group>
          <Button size="compact-sm" variant="default" onClick={() => cageMaking.stop()}>
            Stop
          </Button>
        </Group>
      ) : (
        <ActionButton name="Make a cage" fullWidth disabled={parts.length === 0} onClick={make}>
          {parts.length === 0 ? 'Choose parts to make a cage about' : 'Make a cage'}
        </ActionButton>
      )}
    </>
  );
}
