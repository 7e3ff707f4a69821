import { counted } from '@judoka/core/document';
import { TOOL_NAMES, toolKey, TOOLS } from '../../settings/toolNames.ts';
import type { Painting } from './Painting.ts';
import { ReceiverChooser } from '../../scene/ReceiverChooser.tsx';
import { Button, Group, Select, SimpleGrid, Text } from '@mantine/core';
import { ActionButton } from '../../ui/ActionButton.tsx';
import { BRUSH_TOOLS, type Depth } from '@judoka/core/operations/paint';
import { useEffect, useMemo, useState } from 'react';
import { BringBackSettings } from './BringBackSettings.tsx';
import { fillSelection } from './fill.ts';
import type { EventSource } from '../../document/events.ts';
import { useEvent, useVersioned } from '../../document/useEvent.ts';
import { settingsChanged, toolChosen, type Tool } from '../../settings/uiSettings.ts';
import { uiSettings, useAppDispatch, useUiSettings } from '../../settings/store.ts';
import { isStray } from '../../scene/drawings/PartDrawing.ts';
import { FalloffChooser } from '../../settings/FalloffChooser.tsx';
import { StrengthRow } from '../../settings/StrengthRow.tsx';
import { GradientPanel } from './GradientPanel.tsx';
import { InfluenceLimit } from '../../settings/InfluenceLimit.tsx';
import { RadiusRow } from '../../scene/RadiusRow.tsx';
import { SettingSwitch } from '../../settings/SettingSwitch.tsx';
import { Segments } from '../../ui/Segments.tsx';
import { SliderRow } from '../../ui/SliderRow.tsx';
import { NumberField } from '../../ui/NumberField.tsx';
import type { Editing } from '../../scene/Editing.ts';
import './paint.css';
import { messageOf } from '@judoka/core/errors';

/** Which points touch another piece, as the mirror's part of the page finds it out. */
interface TouchingPoints {
  readonly events: EventSource<'changed'>;
  /** Int32Array over all parts: the point that a point touches, or -1; undefined while nobody asked. */
  readonly touching: Int32Array | undefined;
  findTouching(): Promise<unknown>;
}

type At = Editing & { readonly mirroring: TouchingPoints; readonly painting: Painting };

/** What is painted on a part that follows another one is not seen. */
function Followers({ at: { document } }: { at: Editing }) {
  useEvent(document.events, 'values');
  const names = [...document.following.follows].flatMap(([part, { isOff, mask }]) =>
    isOff || mask !== undefined ? [] : [document.partName(part)],
  );
  if (names.length === 0) return null;
  return (
    <p className="card-line">
      {names.join(', ')} {names.length === 1 ? 'follows' : 'follow'} another part: weights that are painted
      there are seen once that is switched off, under Bind, Another.
    </p>
  );
}

/** The tool in hand and its settings. */
export function BrushPanel({ at }: { at: At }) {
  const dispatch = useAppDispatch();
  const ui = useUiSettings(
    'depth',
    'factor',
    'keys',
    'penPressure',
    'singlePass',
    'smoothAll',
    'strength',
    'tool',
    'value',
  );
  return (
    <>
      <section className="group">
        <h2>Tool</h2>
        <Followers at={at} />
        <SimpleGrid cols={2} spacing={4} verticalSpacing={4} role="group" aria-label="Tools">
          {[...TOOLS, 'restore' as const, 'gradient' as const, 'shape' as const].map((tool) => (
            <Button
              key={tool}
              variant={ui.tool === tool ? 'filled' : 'default'}
              aria-pressed={ui.tool === tool}
              px={6}
              onClick={() => dispatch(toolChosen(tool))}
            >
              {TOOL_NAMES[tool]}&nbsp;
              <kbd>{(ui.keys[`tool-${tool}`] ?? toolKey(tool)) || '·'}</kbd>
            </Button>
          ))}
        </SimpleGrid>
      </section>
      {isBrush(ui.tool) && (
        <section className="group">
          <h2>Brush</h2>
          <RadiusRow at={at} />
          <StrengthRow />
          {ui.tool === 'set' && (
            <SliderRow
              name="Weight"
              value={ui.value}
              least={0}
              most={1}
              digits={2}
              set={(value) => dispatch(settingsChanged({ value }))}
            />
          )}
          {ui.tool === 'scale' && (
            <SliderRow
              name="Times"
              value={ui.factor}
              least={0}
              most={2}
              digits={2}
              set={(factor) => dispatch(settingsChanged({ factor }))}
            />
          )}
          <Segments
            name="Depth of the brush"
            mt={6}
            choices={{ surface: 'Along', facing: 'Facing', through: 'Through' }}
            value={ui.depth}
            set={(value) => dispatch(settingsChanged({ depth: value }))}
          />
          <div className="card-line">{DEPTH_WORDS[ui.depth]}</div>
          <Segments
            name="Passes of a stroke"
            mt={6}
            choices={{ build: 'Build up', single: 'One pass' }}
            value={ui.singlePass ? 'single' : 'build'}
            set={(value) => dispatch(settingsChanged({ singlePass: value === 'single' }))}
          />
          <SettingSwitch setting="steady" mt={6} label="Steady strokes" />
          <SettingSwitch setting="holdSurface" mt={6} label="Surface stays under the brush" />
          <FalloffChooser />
          {ui.tool === 'smooth' && (
            <Segments
              name="What is smoothed"
              mt={6}
              choices={{ one: 'This joint', all: 'All influences' }}
              value={ui.smoothAll ? 'all' : 'one'}
              set={(value) => dispatch(settingsChanged({ smoothAll: value === 'all' }))}
            />
          )}
          {ui.tool === 'restore' && <BringBackSettings at={at} />}
          {ui.tool === 'smooth' && <TouchingSwitch at={at} />}
          <div className="row" style={{ gridTemplateColumns: '66px 1fr' }}>
            <span>Pen</span>
            <Select
              aria-label="Pen pressure"
              data={[
                { value: 'strength', label: 'Pressure sets strength' },
                { value: 'radius', label: 'Pressure sets radius' },
                { value: 'off', label: 'Pressure off' },
              ]}
              value={ui.penPressure}
              allowDeselect={false}
              onChange={(value) => dispatch(settingsChanged({ penPressure: value as typeof ui.penPressure }))}
            />
          </div>
          <InfluenceLimit />
          <ReceiverChooser at={at} />
          <FillSelection at={at} />
        </section>
      )}
      {ui.tool === 'gradient' && <GradientPanel at={at} />}
      <ChosenJoint at={at} />
    </>
  );
}

const isBrush = (tool: Tool): boolean => (BRUSH_TOOLS as readonly Tool[]).includes(tool);

/** Smoothing may bring together what touches, which no edge joins; where that is, is looked up once. */
function TouchingSwitch({ at }: { at: At }) {
  const { joinTouching } = useUiSettings('joinTouching');
  useEvent(at.mirroring.events, 'changed');
  const touching = useMemo(
    () => at.mirroring.touching?.reduce((sum, other) => sum + (other >= 0 ? 1 : 0), 0),
    [at.mirroring.touching],
  );
  useEffect(() => {
    if (joinTouching)
      at.mirroring
        .findTouching()
        .catch((error: unknown) =>
          at.document.notify(`What touches could not be found. ${messageOf(error)}`),
        );
  }, [at, joinTouching]);
  return (
    <>
      <SettingSwitch setting="joinTouching" mt={6} label="Also where parts touch" />
      {joinTouching && (
        <div className="card-line" data-touching={touching}>
          {touching === undefined
            ? 'Looking for what touches …'
            : touching === 0
              ? 'No piece touches another.'
              : `${counted(touching, 'point lies', 'points lie')} on another piece and can be brought together.`}
        </div>
      )}
    </>
  );
}

const DEPTH_WORDS: Readonly<Record<Depth, string>> = {
  surface: 'By the distance along the surface: never across a gap.',
  facing: 'What is near and turned to the eye, on all parts.',
  through: 'All that is near, also behind, on all parts.',
};

/** The tool in hand on all selected points, any number of passes. */
function FillSelection({ at }: { at: At }) {
  useEvent(at.scene.events, 'selection');
  useEvent(at.scene.events, 'joint');
  const [passes, setPasses] = useState(1);
  const { count } = at.scene.selection;
  return (
    <Group gap={6} wrap="nowrap" mt={8} align="end">
      <NumberField
        aria-label="Passes"
        w={58}
        min={1}
        max={100}
        allowDecimal={false}
        value={passes}
        onChange={(value) => value >= 1 && setPasses(value)}
      />
      <ActionButton
        name="Fill the selection"
        style={{ flex: 1 }}
        variant="default"
        disabled={count === 0 || at.scene.joint < 0}
        onClick={() => fillSelection(at, uiSettings(), passes)}
      >
        {count === 0
          ? 'Select points to fill'
          : `${passes === 1 ? 'pass' : 'passes'} over ${count === 1 ? '1 point' : `${count.toLocaleString('en')} points`}`}
      </ActionButton>
    </Group>
  );
}

/** Points that the chosen joint has weight of, and those of them where it strays. */
function countHeld({ scene: { parts } }: At): { points: number; strays: number } {
  let points = 0;
  let strays = 0;
  for (const part of parts) {
    for (let p = 0; p < part.jointWeights.length; p++) {
      if (part.jointWeights[p] <= 0) continue;
      points++;
      if (isStray(part, p)) strays++;
    }
  }
  return { points, strays };
}

/** What the chosen joint holds, and what of it strays. */
function ChosenJoint({ at }: { at: At }) {
  const weights = useEvent(at.document.events, 'weights');
  useEvent(at.scene.events, 'joint');
  useEvent(at.document.events, 'values');
  const {
    scene: { joint },
  } = at;
  const marked = useEvent(at.scene.events, 'strays');
  const { points, strays } = useVersioned(() => countHeld(at), [at, joint, weights, marked]);
  if (joint < 0) {
    return (
      <section className="group">
        <Text size="sm">Choose a joint in the roster, or click its bone.</Text>
      </section>
    );
  }
  return (
    <section className="group">
      <h2>{at.document.jointName(joint)}</h2>
      <div className="card-line">
        {counted(points, 'point follows', 'points follow')} it
        {at.document.locks[joint] ? '. It is locked.' : '.'}
      </div>
      {strays > 0 && (
        <div className="trouble">
          {strays.toLocaleString('en')} of them {strays === 1 ? 'strays' : 'stray'} (hatched)
        </div>
      )}
    </section>
  );
}
