import { Group } from '@mantine/core';
import { ActionButton } from '../../ui/ActionButton.tsx';
import { influenceMask, jumpMask, weightRangeMask } from '@judoka/core/operations/select';
import type { PointMask } from '@judoka/core/mesh';
import { useState } from 'react';
import type { ScenePart } from '../../scene/ScenePart.ts';
import { useEvent } from '../../document/useEvent.ts';
import { isStray } from '../../scene/drawings/PartDrawing.ts';
import { NumberField } from '../../ui/NumberField.tsx';
import type { Editing } from '../../scene/Editing.ts';
import type { Walking } from './Walking.ts';

type At = Editing & { readonly walking: Walking };

/** Walks over the quads from selected points, and selecting by what points weigh. */
export function WalksPanel({ at }: { at: At }) {
  return (
    <>
      <Walks at={at} />
      <ByWeight at={at} />
    </>
  );
}

function Walks({ at }: { at: At }) {
  useEvent(at.scene.events, 'selection');
  const { walking } = at;
  const edge = walking.chosenEdge();
  const border = (): void => {
    if (!walking.borders()) at.document.notify('No selected point lies on an open border.');
  };
  return (
    <section className="group" aria-label="Walks">
      <h2>Along the quads</h2>
      <p className="card-line">
        {edge ? 'From the two selected neighbours:' : 'Select two neighbours to say where, and which way.'}
      </p>
      <div className="act-grid">
        <ActionButton
          name="Select a loop"
          size="compact-xs"
          variant="default"
          disabled={!edge}
          onClick={() => edge && walking.start('loop', edge)}
        >
          Loop
        </ActionButton>
        <ActionButton
          name="Select a ring"
          size="compact-xs"
          variant="default"
          disabled={!edge}
          onClick={() => edge && walking.start('ring', edge)}
        >
          Ring
        </ActionButton>
        <ActionButton
          name="Select the border"
          size="compact-xs"
          variant="default"
          disabled={at.scene.selection.count === 0}
          onClick={border}
        >
          Border
        </ActionButton>
      </div>
    </section>
  );
}

function ByWeight({ at }: { at: At }) {
  useEvent(at.scene.events, 'joint');
  const [least, setLeast] = useState(0.01);
  const [most, setMost] = useState(1);
  const [influences, setInfluences] = useState(5);
  const [jump, setJump] = useState(0.4);
  const select = (mask: (part: ScenePart) => PointMask): void => {
    at.scene.selection.choose(new Map(at.scene.parts.map((part) => [part.index, mask(part)])), 'replace');
    if (at.scene.selection.count === 0) at.document.notify('No point is like that.');
  };
  return (
    <section className="group" aria-label="By weight">
      <h2>By what they weigh</h2>
      <Group gap={6} wrap="nowrap" align="end" mb={6}>
        <Field label="From" value={least} most={1} set={setLeast} />
        <Field label="to" value={most} most={1} set={setMost} />
        <ActionButton
          name="Select by weight of the chosen joint"
          variant="default"
          style={{ flex: 1 }}
          disabled={at.scene.joint < 0}
          onClick={() => select(({ jointWeights }) => weightRangeMask(jointWeights, least, most))}
        >
          of {at.scene.joint < 0 ? 'a joint' : at.document.jointName(at.scene.joint)}
        </ActionButton>
      </Group>
      <ActionButton
        name="Select stray weights of the chosen joint"
        fullWidth
        variant="default"
        mb={6}
        disabled={at.scene.joint < 0}
        title="Where this joint’s weight does not belong, as hatched on the stage"
        onClick={() => select((part) => part.strays.map((_, p) => (isStray(part, p) ? 1 : 0)))}
      >
        Stray weights of {at.scene.joint < 0 ? 'a joint' : at.document.jointName(at.scene.joint)}
      </ActionButton>
      <Group gap={6} wrap="nowrap" align="end" mb={6}>
        <Field label="At least" value={influences} most={64} whole set={setInfluences} />
        <ActionButton
          name="Select by number of influences"
          variant="default"
          style={{ flex: 1 }}
          onClick={() => select(({ skin }) => influenceMask(skin.rows, influences, 64))}
        >
          influences
        </ActionButton>
      </Group>
      <Group gap={6} wrap="nowrap" align="end">
        <Field label="More than" value={jump} most={1} set={setJump} />
        <ActionButton
          name="Select where weights jump"
          variant="default"
          style={{ flex: 1 }}
          onClick={() => select(({ skin, paint }) => jumpMask(skin.rows, paint.neighbours, jump))}
        >
          from a neighbour
        </ActionButton>
      </Group>
    </section>
  );
}

interface FieldProps {
  readonly label: string;
  readonly value: number;
  readonly most: number;
  readonly whole?: boolean;
  readonly set: (value: number) => void;
}

function Field({ label, value, most, whole = false, set }: FieldProps) {
  return (
    <NumberField
      label={label}
      w={64}
      min={0}
      max={most}
      step={whole ? 1 : 0.05}
      decimalScale={whole ? 0 : 3}
      value={value}
      onChange={(next) => set(next)}
    />
  );
}
