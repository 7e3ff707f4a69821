import { Button, Group, SimpleGrid } from '@mantine/core';
import { smoothedAmounts } from '@judoka/core/mesh';
import { BRUSH_TOOLS } from '@judoka/core/operations/paint';
import { useEffect } from 'react';
import { useEvent } from '../../document/useEvent.ts';
import type { NamedMask } from '../../document/SavedItems.ts';
import type { Editing } from '../../scene/Editing.ts';
import { uiSettings, useAppDispatch, useUiSettings } from '../../settings/store.ts';
import { settingsChanged, toolChosen } from '../../settings/uiSettings.ts';
import { KeepField } from '../../ui/KeepField.tsx';
import { TableButton } from '../../settings/TableButton.tsx';
import { TextSetting } from '../../ui/TextSetting.tsx';
import type { MaskPainting } from './MaskPainting.ts';

/** What takes so much counts as in a mask. */
const HALF = 0.5;

type At = Editing & { readonly masks: MaskPainting };

/** Masks: how much of something each point takes, under names, painted with the brushes. */
export function MaskPanel({ at }: { at: At }) {
  useEvent(at.document.events, 'values');
  useEvent(at.masks.events, 'changed');
  useMaskView(at);
  const { document, masks, scene } = at;
  const listed = document.saved.masks;
  const all = (amount: number): Map<number, Float32Array> =>
    new Map(scene.parts.map(({ index, part }) => [index, new Float32Array(part.pointCount).fill(amount)]));
  return (
    <section className="group" aria-label="Masks">
      <h2>Masks</h2>
      <p className="card-line">
        How much of something each point takes, such as relaxing under Trial. The brushes paint it, mirrored
        if the mirror is on, within the selection.
      </p>
      {document.mayChange && (
        <KeepField
          label="Name of the mask"
          act="Make"
          hint="Name a new mask"
          disabled={false}
          keep={async (name) => masks.start(await document.saved.saveMask(name, all(0)))}
          failed={(error) => document.notify(error.message)}
        />
      )}
      {listed.map((mask) => (
        <MaskRow key={mask.id} at={at} mask={mask} />
      ))}
      {masks.current && <MaskActs at={at} mask={masks.current} />}
    </section>
  );
}

/** While a mask is painted it is seen; nothing of it stays when one leaves. */
function useMaskView(at: At): void {
  const dispatch = useAppDispatch();
  const { view } = useUiSettings('view');
  const { masks, scene } = at;
  const { current } = masks;
  const isPainted = current !== undefined;
  // Whoever begins to paint has a brush in the hand.
  useEffect(() => {
    if (isPainted && !(BRUSH_TOOLS as readonly string[]).includes(uiSettings().tool))
      dispatch(toolChosen('add'));
  }, [isPainted, dispatch]);
  useEffect(() => {
    if (current && view !== 'mask') dispatch(settingsChanged({ view: 'mask' }));
    if (!current && view === 'mask') dispatch(settingsChanged({ view: 'tide' }));
    if (current) scene.setAmounts(masks.amounts);
  }, [current, view, dispatch, masks, scene]);
  useEffect(
    () => () => {
      masks.stop();
      scene.setAmounts(undefined);
      dispatch(settingsChanged({ view: 'tide' }));
    },
    [dispatch, masks, scene],
  );
}

function MaskRow({ at, mask }: { at: At; mask: NamedMask }) {
  const { masks, document } = at;
  const isOn = masks.current?.id === mask.id;
  return (
    <Group gap={6} wrap="nowrap" mb={4} justify="space-between">
      <span className="rank-name">{mask.name}</span>
      <Group gap={4} wrap="nowrap">
        <Button
          size="compact-xs"
          variant={isOn ? 'filled' : 'default'}
          aria-pressed={isOn}
          aria-label={`Paint the mask ${mask.name}`}
          onClick={() => (isOn ? masks.stop() : masks.start(mask.id))}
        >
          {isOn ? 'Painting' : document.mayChange ? 'Paint' : 'Show'}
        </Button>
        <Button
          size="compact-xs"
          variant="subtle"
          aria-label={`Select by the mask ${mask.name}`}
          onClick={() => selectMask(at, mask)}
        >
          Select
        </Button>
        {document.mayChange && (
          <Button
            size="compact-xs"
            variant="subtle"
            aria-label={`Remove the mask ${mask.name}`}
            onClick={() => document.saved.removeMask(mask.id)}
          >
            Remove
          </Button>
        )}
      </Group>
    </Group>
  );
}

/** Selects the points that take at least half. */
function selectMask({ scene }: At, { amounts }: NamedMask): void {
  const points = new Map(
    [...amounts].map(
      ([part, own]) => [part, Uint32Array.from(own.keys()).filter((p) => own[p] >= HALF)] as const,
    ),
  );
  scene.selection.choosePoints(points, 'replace');
}

/** What is done to a whole mask, or within the selection. */
function MaskActs({ at, mask }: { at: At; mask: NamedMask }) {
  useEvent(at.scene.events, 'selection');
  const { masks, scene, document } = at;
  if (!document.mayChange) return null;
  const { selection, parts } = scene;
  const isIn = (part: number, p: number): boolean => selection.count === 0 || selection.masks[part][p] === 1;
  const change = (label: string, to: (part: number, point: number, amount: number) => number): void =>
    masks.change(label, (part, p, amount) => (isIn(part, p) ? to(part, p, amount) : amount));
  const smooth = (): void => {
    const soft = masks.amounts.map((own, part) => smoothedAmounts(own, parts[part].paint.neighbours));
    change('Smooth', (part, p) => soft[part][p]);
  };
  return (
    <>
      <TextSetting
        key={`${mask.id} ${mask.name}`}
        label="Its name"
        value={mask.name}
        keep={(name) => document.saved.renameMask(mask.id, name)}
      />
      <SimpleGrid cols={2} spacing={6} verticalSpacing={6} mt={8}>
        <Button variant="default" onClick={() => change('Fill', () => 1)}>
          Fill
        </Button>
        <Button variant="default" onClick={() => change('Empty', () => 0)}>
          Empty
        </Button>
        <Button variant="default" onClick={() => change('Invert', (_part, _p, amount) => 1 - amount)}>
          Invert
        </Button>
        <Button variant="default" onClick={smooth}>
          Smooth
        </Button>
      </SimpleGrid>
      <p className="card-line">
        {selection.count > 0
          ? `Of the ${selection.count.toLocaleString('en')} selected points alone.`
          : 'Of all points; select some to do it to them alone.'}
      </p>
      <TableButton />
    </>
  );
}
