import { Button, Group } from '@mantine/core';
import { influenceMask, jumpMask, weightRangeMask } from '@judoka/core/operations/select';
import type { PointMask } from '@judoka/core/mesh';
import { useState } from 'react';
import type { CharacterSession } from '../session/CharacterSession.ts';
import type { SessionPart } from '../session/sessionPart.ts';
import { useTopic } from '../session/useTopic.ts';
import { isStray } from '../stage/PartDrawing.ts';
import { NumberField } from './NumberField.tsx';

/** Walks over the quads from selected points, and selecting by what points weigh. */
export function WalksPanel({ session }: { session: CharacterSession }) {
  return (
    <>
      <Walks session={session} />
      <ByWeight session={session} />
    </>
  );
}

function Walks({ session }: { session: CharacterSession }) {
  useTopic(session, 'selection');
  const { walking } = session;
  const edge = walking.chosenEdge();
  const border = (): void => {
    if (!walking.borders()) session.tellPerson('No selected point lies on an open border.');
  };
  return (
    <section className="group" aria-label="Walks">
      <h2>Along the quads</h2>
      <p className="card-line">
        {edge ? 'From the two selected neighbours:' : 'Select two neighbours to say where, and which way.'}
      </p>
      <div className="act-grid">
        <Button
          size="compact-xs"
          variant="default"
          disabled={!edge}
          onClick={() => edge && walking.start('loop', edge)}
        >
          Loop
        </Button>
        <Button
          size="compact-xs"
          variant="default"
          disabled={!edge}
          onClick={() => edge && walking.start('ring', edge)}
        >
          Ring
        </Button>
        <Button size="compact-xs" variant="default" disabled={session.selection.count === 0} onClick={border}>
          Border
        </Button>
      </div>
    </section>
  );
}

function ByWeight({ session }: { session: CharacterSession }) {
  useTopic(session, 'joint');
  const [least, setLeast] = useState(0.01);
  const [most, setMost] = useState(1);
  const [influences, setInfluences] = useState(5);
  const [jump, setJump] = useState(0.4);
  const select = (mask: (part: SessionPart) => PointMask): void => {
    session.selection.choose(new Map(session.parts.map((part) => [part.index, mask(part)])), 'replace');
    if (session.selection.count === 0) session.tellPerson('No point is like that.');
  };
  return (
    <section className="group" aria-label="By weight">
      <h2>By what they weigh</h2>
      <Group gap={6} wrap="nowrap" align="end" mb={6}>
        <Field label="From" value={least} most={1} set={setLeast} />
        <Field label="to" value={most} most={1} set={setMost} />
        <Button
          variant="default"
          style={{ flex: 1 }}
          disabled={session.joint < 0}
          onClick={() => select(({ column }) => weightRangeMask(column, least, most))}
        >
          of {session.joint < 0 ? 'a joint' : session.jointName(session.joint)}
        </Button>
      </Group>
      <Button
        fullWidth
        variant="default"
        mb={6}
        disabled={session.joint < 0}
        title="Where this joint’s weight is tiny, or lies apart from its main region"
        onClick={() => select((part) => part.apart.map((_, p) => (isStray(part, p) ? 1 : 0)))}
      >
        Stray weights of {session.joint < 0 ? 'a joint' : session.jointName(session.joint)}
      </Button>
      <Group gap={6} wrap="nowrap" align="end" mb={6}>
        <Field label="At least" value={influences} most={64} whole set={setInfluences} />
        <Button
          variant="default"
          style={{ flex: 1 }}
          onClick={() => select(({ skin }) => influenceMask(skin.rows, influences, 64))}
        >
          influences
        </Button>
      </Group>
      <Group gap={6} wrap="nowrap" align="end">
        <Field label="More than" value={jump} most={1} set={setJump} />
        <Button
          variant="default"
          style={{ flex: 1 }}
          onClick={() => select(({ skin, paint }) => jumpMask(skin.rows, paint.neighbours, jump))}
        >
          from a neighbour
        </Button>
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
