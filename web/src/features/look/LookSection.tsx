import { Group, Select, Switch } from '@mantine/core';
import { DEFAULT_RELAXING, MAX_RELAX_PASSES } from '@judoka/core/deform';
import {
  type Json,
  MAX_RELAX_BORDER,
  RELAXING_PATH,
  type RelaxedLook,
  SKINNING_PATH,
} from '@judoka/core/document';
import { useEvent } from '../../document/useEvent.ts';
import type { Editing } from '../../scene/Editing.ts';
import { NumberField } from '../../ui/NumberField.tsx';
import { Segments } from '../../ui/Segments.tsx';

const SKINNINGS = { linear: 'Linear', dual: 'Dual quaternions' } as const;
/** What the list of places calls the whole surface. */
const EVERYWHERE = 'everywhere';
/** Rings over which relaxing fades away about a selection, until a person says otherwise. */
const BORDER = 3;

/** How the surface follows the joints: on every stage, in the strip, and in what is measured. */
export function LookSection({ at }: { at: Editing }) {
  useEvent(at.document.events, 'values');
  const { document } = at;
  const { skinning, relaxing } = document.settings;
  return (
    <section className="group" aria-label="Look">
      <h2>Look</h2>
      <Segments
        mb={8}
        name="Skinning"
        choices={SKINNINGS}
        value={skinning}
        set={(wanted) => document.changeSettings({ [SKINNING_PATH]: wanted === 'dual' ? 'dual' : null })}
      />
      {!document.character.drawing && (
        <>
          <Switch
            label="Relaxed"
            description="Smoothed where it is bent, its detail kept. Files carry plain weights: bake it into them."
            disabled={!document.mayChange}
            checked={relaxing !== undefined}
            onChange={(event) => setRelaxing(at, event.currentTarget.checked ? DEFAULT_RELAXING : undefined)}
          />
          {relaxing && <RelaxingFields at={at} relaxing={relaxing} />}
        </>
      )}
    </section>
  );
}

function setRelaxing({ document }: Editing, relaxing: RelaxedLook | undefined): void {
  document.changeSettings({ [RELAXING_PATH]: (relaxing ?? null) as Json });
}

function RelaxingFields({ at, relaxing }: { at: Editing; relaxing: RelaxedLook }) {
  const { mayChange } = at.document;
  const change = (some: Partial<RelaxedLook>): void => setRelaxing(at, { ...relaxing, ...some });
  return (
    <>
      <Group grow mt={8} gap={8}>
        <NumberField
          label="Passes"
          min={1}
          max={MAX_RELAX_PASSES}
          value={relaxing.passes}
          disabled={!mayChange}
          onChange={(passes) => change({ passes: Math.round(passes) })}
          allowDecimal={false}
          steppers
        />
        <NumberField
          label="Strength"
          min={0}
          max={100}
          step={5}
          suffix="%"
          value={Math.round(100 * relaxing.strength)}
          disabled={!mayChange}
          onChange={(percent) => change({ strength: percent / 100 })}
          steppers
        />
      </Group>
      <Switch
        my={8}
        label="Keep the volume"
        disabled={!mayChange}
        checked={relaxing.keepsVolume}
        onChange={(event) => change({ keepsVolume: event.currentTarget.checked })}
      />
      <RelaxedPlace at={at} relaxing={relaxing} />
    </>
  );
}

/** Where the surface is relaxed: everywhere, as much as a mask says, or in a saved selection. */
function RelaxedPlace({ at: { document, ...at }, relaxing }: { at: Editing; relaxing: RelaxedLook }) {
  const { selections, masks } = document.saved;
  if (selections.length === 0 && masks.length === 0 && relaxing.selection === undefined)
    return (
      <p className="card-line">
        Paint a mask under Paint, Masks, or save a selection, to relax the surface there alone.
      </p>
    );
  const held = selections.find(({ id }) => id === relaxing.selection);
  const mask = masks.find(({ id }) => id === relaxing.mask);
  const { selection: _, mask: _mask, border = BORDER, ...everywhere } = relaxing;
  const choose = (id: string | null): void => {
    if (id === EVERYWHERE || id === null) setRelaxing({ document, ...at }, everywhere);
    else {
      const place = masks.some((each) => each.id === id) ? { mask: id } : { selection: id, border };
      setRelaxing({ document, ...at }, { ...everywhere, ...place });
    }
  };
  return (
    <>
      <Select
        label="Where"
        allowDeselect={false}
        disabled={!document.mayChange}
        data={[
          { value: EVERYWHERE, label: 'Everywhere' },
          ...masks.map(({ id, name }) => ({ value: id, label: `${name}, a mask` })),
          ...selections.map(({ id, name }) => ({ value: id, label: name })),
        ]}
        value={mask?.id ?? held?.id ?? EVERYWHERE}
        onChange={choose}
      />
      {held && !mask && (
        <NumberField
          mt={8}
          label="Fades away over so many rings about it"
          min={0}
          max={MAX_RELAX_BORDER}
          value={border}
          disabled={!document.mayChange}
          allowDecimal={false}
          steppers
          onChange={(rings) => setRelaxing({ document, ...at }, { ...relaxing, border: Math.round(rings) })}
        />
      )}
    </>
  );
}
