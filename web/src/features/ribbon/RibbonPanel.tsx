import { ActionIcon, Group, Select, Switch, Tooltip } from '@mantine/core';
import { MAX_CONTROLS, MIN_CONTROLS, type CharacterLook } from '@judoka/core/deform';
import { isSoundRibbon, type SavedRibbon } from '@judoka/core/document';
import { IconX } from '@tabler/icons-react';
import { useMemo } from 'react';
import type { Events } from '../../document/events.ts';
import { useEvent } from '../../document/useEvent.ts';
import { chosenChainIfAny } from '../../scene/chosenChain.ts';
import type { Editing } from '../../scene/Editing.ts';
import { RunButton } from '../../trial/RunButton.tsx';
import { ActionButton } from '../../ui/ActionButton.tsx';
import { SliderRow } from '../../ui/SliderRow.tsx';
import {
  changeRibbon,
  layNew,
  layOne,
  lookWith,
  type OwnRibbon,
  partOfChain,
  removeRibbon,
} from './ribbons.ts';
import { OwnJoints } from './OwnJoints.tsx';
import { StretchChart } from './StretchChart.tsx';
import './ribbon.css';

type At = Editing & {
  readonly checkUp: { readonly profile: { readonly influences: number } };
  readonly curing: {
    readonly events: Events<'changed'>;
    readonly working: { readonly what: string; readonly share: number; readonly isBake: boolean } | undefined;
    stop(): void;
    bake(
      look: CharacterLook,
      what: string,
      clips: readonly string[],
      only?: readonly number[],
    ): Promise<void>;
  };
};

/** Ribbons along chains: a tail, a feeler or a scarf bends as one curve, and its weights can be baked from that. */
export function RibbonPanel({ at }: { at: At }) {
  useEvent(at.document.events, 'values');
  useEvent(at.document.events, 'joints');
  const { document } = at;
  if (document.character.drawing) return null;
  return (
    <section className="group" aria-label="Ribbons">
      <h2>Ribbon along a chain</h2>
      <p className="card-line">
        A tail, a feeler or a scarf bends as one even curve instead of joint by joint. Baked, its weights come
        as near to that as weights can.
      </p>
      {document.settings.ribbons.map((ribbon) => (
        <OneRibbon key={ribbon.id} at={at} ribbon={ribbon} />
      ))}
      {document.mayChange && <NewRibbon at={at} />}
    </section>
  );
}

function NewRibbon({ at }: { at: At }) {
  useEvent(at.scene.events, 'joint');
  const { document } = at;
  const chain = chosenChainIfAny(at);
  const lay = (): void => {
    if (!chain) return;
    try {
      layNew(at, chain, partOfChain(at, chain));
    } catch (error) {
      document.notifyError(error);
    }
  };
  return (
    <ActionButton
      name="Lay a ribbon along the chain"
      fullWidth
      variant="default"
      disabled={!chain}
      onClick={lay}
    >
      {!chain
        ? 'Choose the first joint of a chain'
        : chain.length === 1
          ? `From ${document.jointName(chain[0])}: Ctrl+click the last joint`
          : `Lay along ${document.jointName(chain[0])} to ${document.jointName(chain[chain.length - 1])}`}
    </ActionButton>
  );
}

interface RibbonProps {
  readonly at: At;
  readonly ribbon: OwnRibbon;
}

function OneRibbon({ at, ribbon }: RibbonProps) {
  const { document } = at;
  const isSound = isSoundRibbon(ribbon, document.skeleton);
  return (
    <div className="ribbon" data-ribbon={ribbon.name}>
      <Group gap={6} justify="space-between" wrap="nowrap">
        <Switch
          label={`${ribbon.name}, on ${document.partName(ribbon.part)}`}
          checked={!ribbon.isOff}
          disabled={!document.mayChange}
          onChange={({ currentTarget: { checked } }) =>
            changeRibbon(at, ribbon, { isOff: checked ? undefined : true })
          }
        />
        {document.mayChange && (
          <Tooltip label="Take the ribbon away">
            <ActionIcon
              variant="subtle"
              aria-label={`Take the ribbon ${ribbon.name} away`}
              onClick={() => removeRibbon(at, ribbon)}
            >
              <IconX size={16} />
            </ActionIcon>
          </Tooltip>
        )}
      </Group>
      {!isSound ? (
        <div className="trouble">Joints of its chain are gone, or hang elsewhere: it holds nothing.</div>
      ) : (
        <>
          <Stretch at={at} ribbon={ribbon} />
          {document.mayChange && <RibbonSettings at={at} ribbon={ribbon} />}
          {document.mayChange && <Bake at={at} ribbon={ribbon} />}
          {document.mayChange && <OwnJoints at={at} ribbon={ribbon} />}
        </>
      )}
    </div>
  );
}

/** How the ribbon is stretched in the pose on the stage. */
function Stretch({ at, ribbon }: RibbonProps) {
  const pose = useEvent(at.scene.events, 'pose');
  const { palette } = at.scene.parts[ribbon.part].skin;
  const poser = useMemo(() => layOne(at, ribbon), [at, ribbon]);
  const sides = useMemo(() => {
    if (!poser) return undefined;
    poser.pose(palette);
    const { stretch, bends } = poser.state;
    const side = (sign: number): number[] =>
      Array.from(bends, (bend) => stretch * (1 + sign * bend * ribbon.width));
    return { stretch, outer: side(1), inner: side(-1) };
    // The pose is in the palette.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [poser, palette, pose, ribbon.width]);
  if (!sides) return null;
  const folds = Math.min(...sides.inner) <= 0;
  return (
    <>
      <StretchChart outer={sides.outer} inner={sides.inner} />
      <div className="card-line" data-stretch={sides.stretch.toFixed(3)}>
        {Math.abs(sides.stretch - 1) < 0.005
          ? 'As long as at rest'
          : `×${sides.stretch.toFixed(2)} as long as at rest`}
        {folds
          ? '; it folds inside its sharpest bend.'
          : ', along it from start to end; dashed: inside its bends.'}
      </div>
    </>
  );
}

const SWITCHES: readonly {
  readonly field: 'isStartHeld' | 'isEndHeld' | 'sharesTwist' | 'keepsVolume';
  readonly label: string;
}[] = [
  { field: 'isStartHeld', label: 'Start held by its joint' },
  { field: 'isEndHeld', label: 'End held by its joint' },
  { field: 'sharesTwist', label: 'Twist shared evenly' },
  { field: 'keepsVolume', label: 'Thinner where stretched' },
];

function RibbonSettings({ at, ribbon }: RibbonProps) {
  const { masks } = at.document.saved;
  const set = (change: Partial<SavedRibbon>): void => changeRibbon(at, ribbon, change);
  const mm = 1000;
  return (
    <>
      <SliderRow
        name="Controls"
        value={ribbon.controls}
        least={MIN_CONTROLS}
        most={MAX_CONTROLS}
        digits={0}
        set={(to) => set({ controls: Math.round(to) })}
      />
      <SliderRow
        name="Width"
        value={ribbon.width * mm}
        least={0.01 * at.document.size}
        most={Math.max(200 * at.document.size, ribbon.width * mm)}
        digits={ribbon.width * mm < 10 ? 2 : 0}
        suffix=" mm"
        curve
        set={(to) => set({ width: to / mm })}
      />
      <SliderRow
        name="Fall"
        value={ribbon.fall}
        least={0}
        most={3}
        digits={2}
        set={(fall) => set({ fall })}
      />
      {SWITCHES.map(({ field, label }) => (
        <Switch
          key={field}
          mt={6}
          label={label}
          checked={ribbon[field]}
          onChange={({ currentTarget: { checked } }) => set({ [field]: checked })}
        />
      ))}
      {masks.length > 0 && (
        <Select
          size="xs"
          mt={6}
          label="Where"
          allowDeselect={false}
          data={[
            { value: '', label: 'Everywhere' },
            ...masks.map(({ id, name }) => ({ value: id, label: `${name}, a mask` })),
          ]}
          value={masks.some(({ id }) => id === ribbon.mask) ? (ribbon.mask ?? '') : ''}
          onChange={(id) => set({ mask: id === '' || id === null ? undefined : id })}
        />
      )}
    </>
  );
}

function Bake({ at, ribbon }: RibbonProps) {
  const { curing, document } = at;
  useEvent(curing.events, 'changed');
  const bake = (): void => {
    const poser = layOne(at, ribbon);
    if (!poser) return;
    const look = lookWith(at, ribbon, poser);
    const clips = [...new Set(document.character.clips.map(({ name }) => name))];
    // Old and new are looked at as engines show them.
    if (!ribbon.isOff) changeRibbon(at, ribbon, { isOff: true });
    curing.bake(look, `the ribbon ${ribbon.name}`, clips, [ribbon.part]).catch(document.notifyError);
  };
  return (
    <div style={{ marginTop: 8 }}>
      <RunButton
        running={curing.working?.isBake ? curing.working : undefined}
        disabled={curing.working !== undefined}
        stop={() => curing.stop()}
        run={bake}
        label="Bake into its weights"
      />
    </div>
  );
}
