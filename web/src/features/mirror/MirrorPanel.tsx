import { counted } from '@judoka/core/document';
import { Button, Group, Switch } from '@mantine/core';
import { Asymmetry } from './Asymmetry.tsx';
import { ActionButton } from '../../ui/ActionButton.tsx';
import type { MirrorReport } from '@judoka/core/operations/mirror';
import { useEffect, useState } from 'react';
import { NO_MARKS } from '../../scene/Scene.ts';
import { useEvent, useVersioned } from '../../document/useEvent.ts';
import { useUiSettings } from '../../settings/store.ts';
import { NumberField } from '../../ui/NumberField.tsx';
import { Segments } from '../../ui/Segments.tsx';
import type { Editing } from '../../scene/Editing.ts';
import type { Mirroring } from './Mirroring.ts';

type At = Editing & { readonly mirroring: Mirroring };

/** The other side: how points find their counterparts, what has none, and weights carried across. */
export function MirrorPanel({ at }: { at: At }) {
  useEvent(at.mirroring.events, 'changed');
  useEvent(at.scene.events, 'parts');
  const { mirroring } = at;
  const [finding, setFinding] = useState(false);
  const { mode, tolerance } = mirroring;
  useEffect(() => {
    setFinding(true);
    mirroring
      .find()
      .catch(() => undefined)
      .finally(() => setFinding(false));
  }, [mirroring, mode, tolerance]);
  return (
    <>
      <section className="group" aria-label="Counterparts">
        <h2>Counterparts</h2>
        <Segments
          name="How counterparts are found"
          choices={{ topology: 'Along the polygons', place: 'By place' }}
          value={mode}
          set={(next) => mirroring.set({ mode: next })}
        />
        <NumberField
          steppers
          label="Off by at most, % of the size"
          mt={6}
          min={0.001}
          max={5}
          step={0.05}
          decimalScale={3}
          value={Number((tolerance * 100).toFixed(3))}
          onChange={(value) => value > 0 && mirroring.set({ tolerance: value / 100 })}
        />
        <Unpaired at={at} finding={finding} />
      </section>
      <section className="group">
        <h2>While painting</h2>
        <Switch
          label="Strokes go to both sides"
          checked={mirroring.live}
          onChange={(event) => mirroring.set({ live: event.currentTarget.checked })}
        />
        <div className="card-line">
          <kbd>M</kbd> switches it; the card at the cursor says how it stands.
        </div>
      </section>
      <Across at={at} />
      <Asymmetry at={at} />
    </>
  );
}

function Unpaired({ at, finding }: { at: At; finding: boolean }) {
  const { mirroring } = at;
  if (mirroring.failure) return <div className="trouble">{mirroring.failure}</div>;
  if (!mirroring.pairs)
    return <p className="card-line">{finding ? 'Looking for counterparts' : 'Not found yet'}</p>;
  return <UnpairedPoints at={at} />;
}

function UnpairedPoints({ at }: { at: At }) {
  const parts = useEvent(at.scene.events, 'parts');
  const { mirroring } = at;
  const unpaired = useVersioned(() => mirroring.unpaired(), [mirroring, mirroring.pairs, parts]);
  const count = [...unpaired.values()].reduce((sum, points) => sum + points.length, 0);
  const fate = mirroring.fillsUnpaired ? 'they get the weights of what lies nearest' : 'they are left alone';
  return (
    <>
      <div className={count > 0 ? 'trouble' : 'trouble fine'} style={{ marginTop: 8 }} data-unpaired={count}>
        <span>
          {count === 0
            ? 'Every point shown has a counterpart.'
            : `${counted(count, 'point has', 'points have')} no counterpart: ${fate}.`}{' '}
          {count > 0 && (
            <Button
              size="compact-xs"
              variant="default"
              onClick={() => at.scene.setMarks({ points: unpaired, joints: [] })}
            >
              Show me
            </Button>
          )}
        </span>
      </div>
      {count > 0 && (
        <Switch
          mt={6}
          label="Give them what lies nearest"
          checked={mirroring.fillsUnpaired}
          onChange={(event) => mirroring.set({ fillsUnpaired: event.currentTarget.checked })}
        />
      )}
    </>
  );
}

type Scope = 'all' | 'selection' | 'joints';

/** Carries weights across: all, what is selected, or the chosen joints. */
function Across({ at }: { at: At }) {
  useEvent(at.scene.events, 'selection');
  useEvent(at.scene.events, 'joint');
  const { limit } = useUiSettings('limit');
  const [scope, setScope] = useState<Scope>('all');
  const [busy, setBusy] = useState(false);
  const chosen = at.scene.chosenJoints();
  const mirror = (from: 'left' | 'right'): void => {
    setBusy(true);
    carry(at, from, scope, limit)
      .then((told) => at.document.notify(told))
      .catch(at.document.notifyError)
      .finally(() => setBusy(false));
  };
  return (
    <section className="group" aria-label="Carry across">
      <h2>Carry across</h2>
      <Segments
        name="What is carried"
        choices={{
          all: 'All',
          selection: `Selected ${at.scene.selection.count}`,
          joints: `Joints ${chosen.length}`,
        }}
        value={scope}
        set={setScope}
      />
      <Group gap={6} grow mt={8}>
        <ActionButton
          name="Mirror left to right"
          variant="default"
          loading={busy}
          onClick={() => mirror('left')}
        >
          Left to right
        </ActionButton>
        <ActionButton
          name="Mirror right to left"
          variant="default"
          loading={busy}
          onClick={() => mirror('right')}
        >
          Right to left
        </ActionButton>
      </Group>
    </section>
  );
}

async function carry(at: At, from: 'left' | 'right', scope: Scope, limit: number): Promise<string> {
  if (scope === 'joints' && at.scene.joint < 0) throw new Error('Choose the joints to carry across first.');
  if (scope === 'selection' && at.scene.selection.count === 0)
    throw new Error('Select the points to carry across first, on either side.');
  const leftToRight = at.mirroring.leftToRight();
  const direction =
    from === 'left' ? leftToRight : leftToRight === 'toNegative' ? 'toPositive' : 'toNegative';
  const { change, report } = await at.mirroring.propose(
    direction,
    {
      points: scope === 'selection' ? at.scene.selection.points() : undefined,
      joints: scope === 'joints' ? at.scene.chosenJoints() : undefined,
    },
    limit,
  );
  await at.document.perform(`Carry ${from} to ${from === 'left' ? 'right' : 'left'}`, { weights: change });
  at.scene.setMarks(NO_MARKS);
  return carriedWords(
    at,
    change.reduce((sum, { points }) => sum + points.length, 0),
    report,
  );
}

function carriedWords(at: At, changed: number, report: MirrorReport): string {
  const alone = [...report.unpaired.values()].reduce((sum, points) => sum + points.length, 0);
  const told = [changed === 0 ? 'Both sides are alike already' : `${counted(changed, 'point')} changed`];
  if (alone > 0) told.push(`${alone.toLocaleString('en')} without a counterpart stayed`);
  if (report.held > 0) told.push(`${report.held.toLocaleString('en')} stayed: locked joints leave no room`);
  if (report.lonely.length > 0)
    told.push(
      `no partner for ${report.lonely
        .slice(0, 3)
        .map((joint) => at.document.jointName(joint))
        .join(', ')}`,
    );
  return `${told.join('. ')}.`;
}
