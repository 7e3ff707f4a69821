import { Button, Group, Select, Slider, Switch, TextInput } from '@mantine/core';
import { counted, MAX_SHAPE_AMOUNT, type Shape } from '@judoka/core/document';
import { memo, useEffect, useState } from 'react';
import { movesOf } from '../../document/posedShapes.ts';
import { useEvent } from '../../document/useEvent.ts';
import type { TurnRange } from '@judoka/core/deform';
import { Segments } from '../../ui/Segments.tsx';
import type { Editing } from '../../scene/Editing.ts';
import { useAppDispatch, useUiSettings } from '../../settings/store.ts';
import { settingsChanged } from '../../settings/uiSettings.ts';
import { NumberField } from '../../ui/NumberField.tsx';
import { TextSetting } from '../../ui/TextSetting.tsx';
import { changeShape, maskShape, removeShape, renameShape, type ShapeLook, splitShape } from './ShapeLook.ts';
import './shapes.css';

type At = Editing & { readonly shapeLook: ShapeLook; readonly masks: { start(id: string): void } };

/** From so many shapes on a field finds them. */
const MANY = 8;

/** Shapes of the file: dialled, looked at, masked, split. */
export function ShapesPanel({ at }: { at: At }) {
  useEvent(at.document.events, 'values');
  useEvent(at.scene.events, 'shapes');
  useEvent(at.shapeLook.events, 'changed');
  useShapeView(at);
  const [wanted, setWanted] = useState('');
  const { document, scene } = at;
  const { shapes } = scene.morphs;
  const masks = document.saved.masks.map(({ id, name }) => `${id} ${name}`).join();
  if (shapes.length === 0) return null;
  const word = wanted.trim().toLowerCase();
  const listed = shapes.filter(({ name }) => name.toLowerCase().includes(word));
  const isDialled = Object.keys(document.settings.shapeAmounts).length > 0;
  return (
    <section className="group" aria-label="Shapes">
      <h2>Shapes</h2>
      {shapes.length > MANY && (
        <TextInput
          size="xs"
          mb={6}
          aria-label="Find a shape"
          placeholder={`Find one of ${shapes.length}`}
          value={wanted}
          onChange={({ currentTarget: { value } }) => setWanted(value)}
        />
      )}
      <ul className="shapes">
        {listed.map((shape) => (
          <ShapeRow
            key={shape.key}
            at={at}
            shape={shape}
            isShown={at.shapeLook.shown === shape.key}
            masks={masks}
          />
        ))}
      </ul>
      {listed.length === 0 && <p className="card-line">No shape is called so.</p>}
      {document.mayChange && isDialled && (
        <Button size="compact-sm" variant="default" fullWidth onClick={() => scene.morphs.reset()}>
          All shapes as they came
        </Button>
      )}
    </section>
  );
}

/** While a shape is looked at its relief is seen; nothing of it stays when one leaves. */
function useShapeView({ shapeLook }: At): void {
  const dispatch = useAppDispatch();
  const { view } = useUiSettings('view');
  const isShown = shapeLook.shown !== undefined;
  useEffect(() => {
    if (isShown) dispatch(settingsChanged({ view: 'shape' }));
  }, [isShown, dispatch]);
  useEffect(() => {
    // Another view was chosen, or a mask is painted.
    if (isShown && view !== 'shape') shapeLook.leave();
    if (!isShown && view === 'shape') dispatch(settingsChanged({ view: 'tide' }));
    // eslint-disable-next-line react-hooks/exhaustive-deps -- it follows the view, not what is shown
  }, [view]);
  useEffect(
    () => () => {
      if (shapeLook.shown === undefined) return;
      shapeLook.show(undefined);
      dispatch(settingsChanged({ view: 'tide' }));
    },
    [dispatch, shapeLook],
  );
}

interface RowProps {
  readonly at: At;
  readonly shape: Shape;
  readonly isShown: boolean;
  /** What masks there are, in words: the row that is looked at lists them. */
  readonly masks: string;
}

const isSameRow = (a: RowProps, b: RowProps): boolean =>
  a.at === b.at &&
  a.isShown === b.isShown &&
  (!b.isShown || a.masks === b.masks) &&
  JSON.stringify(a.shape) === JSON.stringify(b.shape);

/** Of many shapes those that nobody dials are left alone. */
const ShapeRow = memo(function ShapeRow({ at, shape, isShown }: RowProps) {
  const { shapeLook, scene, document } = at;
  const dispatch = useAppDispatch();
  const look = (): void => {
    if (isShown) dispatch(settingsChanged({ view: 'tide' }));
    shapeLook.show(isShown ? undefined : shape.key);
  };
  return (
    <li data-shape={shape.name} data-shown={isShown}>
      <button
        type="button"
        className="shape-name"
        aria-expanded={isShown}
        title="Where it moves points"
        onClick={look}
      >
        {shape.name}
        {shape.isLeftOut && <span className="card-line"> stays here</span>}
      </button>
      <ShapeAmount shape={shape} set={(amount) => scene.morphs.dial(shape.key, amount)} />
      {isShown && document.mayChange && <ShapeActs at={at} shape={shape} />}
    </li>
  );
}, isSameRow);

/** Dragged from nothing to all of it; typed beyond that too. */
function ShapeAmount({
  shape: { name, amount },
  set,
}: {
  readonly shape: Shape;
  readonly set: (amount: number) => void;
}) {
  return (
    <div className="row">
      <Slider
        size="sm"
        min={0}
        max={1}
        step={0.01}
        label={null}
        value={Math.min(1, Math.max(0, amount))}
        thumbLabel={`Drag ${name}`}
        onChange={set}
      />
      <NumberField
        aria-label={name}
        value={Number(amount.toFixed(2))}
        min={-MAX_SHAPE_AMOUNT}
        max={MAX_SHAPE_AMOUNT}
        step={0.05}
        decimalScale={2}
        fixedDecimalScale
        onChange={set}
      />
    </div>
  );
}

const [WHOLE, NEW] = ['whole', 'new'];

function ShapeActs({ at, shape }: { at: At; shape: Shape }) {
  const { document, scene } = at;
  const { masks } = document.saved;
  const moved = scene.parts.reduce(
    (sum, { index }) => sum + (movesOf(document, shape.morph, index)?.points.length ?? 0),
    0,
  );
  const split = async (): Promise<void> => {
    scene.morphs.settle();
    await splitShape(at, shape);
  };
  const choose = (id: string | null): void => {
    if (id === NEW)
      void maskShape(at, shape)
        .then((mask) => at.masks.start(mask))
        .catch(document.notifyError);
    else
      changeShape(at, shape, { mask: id === WHOLE || id === null ? undefined : id }, `Mask of ${shape.name}`);
  };
  return (
    <div className="shape-acts">
      <p className="card-line">Moves {counted(moved, 'point')}.</p>
      <TextSetting
        key={shape.name}
        label="Its name"
        value={shape.name}
        keep={(name) => renameShape(at, shape, name)}
      />
      <Select
        size="xs"
        mt={8}
        label="By a mask"
        description="Masks are painted below, with the brushes."
        allowDeselect={false}
        data={[
          { value: WHOLE, label: 'None: the whole shape' },
          { value: NEW, label: 'A new one, painted now' },
          ...masks.map(({ id, name }) => ({ value: id, label: name })),
        ]}
        value={masks.some(({ id }) => id === shape.mask) ? (shape.mask ?? WHOLE) : WHOLE}
        onChange={choose}
      />
      <ShapeTurn at={at} shape={shape} />
      <Switch
        my={8}
        label="Goes out with the character"
        checked={!shape.isLeftOut}
        onChange={({ currentTarget: { checked } }) =>
          changeShape(at, shape, { isLeftOut: checked ? undefined : true })
        }
      />
      <Group gap={6}>
        <Button size="compact-xs" variant="default" onClick={() => void split().catch(document.notifyError)}>
          Split into left and right
        </Button>
        {shape.isMade && (
          <Button size="compact-xs" variant="subtle" onClick={() => removeShape(at, shape)}>
            Remove
          </Button>
        )}
      </Group>
    </div>
  );
}

const NO_JOINT = 'none';
const AXES = { x: 'x', y: 'y', z: 'z' };
const CURVES = { even: 'Evenly', gentle: 'Gently' };

/** The joint's turn by which a shape goes on: a corrected bend. */
function ShapeTurn({ at, shape }: { at: At; shape: Shape }) {
  const { document, scene } = at;
  const { joints } = document.skeleton;
  const { turn } = shape;
  const set = (next: Partial<TurnRange> & { joint: number }): void => {
    const { isSmooth, ...range }: TurnRange = { axis: 'x', from: 0, to: 90, ...turn, ...next };
    const wanted = { ...range, ...(isSmooth && { isSmooth }) };
    changeShape(at, shape, { turn: wanted }, `Turn of ${shape.name}`);
  };
  const choose = (value: string | null): void => {
    if (value === NO_JOINT || value === null)
      changeShape(at, shape, { turn: undefined }, `Turn of ${shape.name}`);
    else set({ joint: Number(value) });
  };
  const listed = joints.flatMap(({ name, removed }, joint) =>
    removed ? [] : [{ value: String(joint), label: name || `joint ${joint + 1}` }],
  );
  // The joint at hand comes first.
  listed.sort((a, b) => Number(Number(b.value) === scene.joint) - Number(Number(a.value) === scene.joint));
  return (
    <>
      <Select
        size="xs"
        mt={8}
        label="On by the turn of"
        searchable
        allowDeselect={false}
        data={[{ value: NO_JOINT, label: 'No joint' }, ...listed]}
        value={turn ? String(turn.joint) : NO_JOINT}
        onChange={choose}
      />
      {turn && (
        <>
          <Segments
            name="About its axis"
            choices={AXES}
            value={turn.axis}
            set={(axis) => set({ joint: turn.joint, axis: axis })}
            mb={6}
          />
          <Group grow gap={8}>
            {(['from', 'to'] as const).map((end) => (
              <NumberField
                key={end}
                label={end === 'from' ? 'Begins at' : 'Whole at'}
                suffix="°"
                min={-180}
                max={180}
                step={5}
                value={turn[end]}
                onChange={(angle) => set({ joint: turn.joint, [end]: angle })}
              />
            ))}
          </Group>
          <Segments
            name="How it goes on"
            choices={CURVES}
            value={turn.isSmooth ? 'gentle' : 'even'}
            set={(curve) => set({ joint: turn.joint, isSmooth: curve === 'gentle' ? true : undefined })}
            mb={6}
          />
        </>
      )}
    </>
  );
}
