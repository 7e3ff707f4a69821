import { Button, Group } from '@mantine/core';
import { countUnweighted } from '@judoka/core/weights';
import { MOST_BLEND_RINGS } from '@judoka/core/operations/paint';
import { useState } from 'react';
import type { CharacterSession } from '../session/CharacterSession.ts';
import { blendShownBorders, giveSelection } from '../session/handwork.ts';
import { useTopic } from '../session/useTopic.ts';
import { useBench } from '../state/store.ts';
import { ChainPanel } from './ChainPanel.tsx';
import { SelectPanel } from './SelectPanel.tsx';
import { NumberField } from './NumberField.tsx';
import { ToolToggle } from './ToolToggle.tsx';

/** Bindings by hand: points, pieces and chains are given to joints; what is left over is always counted. */
export function PiecesPanel({ session }: { session: CharacterSession }) {
  useTopic(session, 'joint');
  useTopic(session, 'selection');
  const { tool, limit } = useBench();
  const [rings, setRings] = useState(3);
  const { joint, selection } = session;
  const tying = tool === 'tie';
  const act = (work: Promise<unknown>): void =>
    void work.catch((error: Error) => session.tellPerson(error.message));
  const name = session.jointName(joint);
  return (
    <>
      <LeftOver session={session} />
      <SelectPanel session={session} />
      <section className="group">
        <h2>Give to one joint</h2>
        <Button
          fullWidth
          mb={6}
          disabled={joint < 0 || selection.count === 0}
          onClick={() => act(giveSelection(session, joint))}
        >
          {joint < 0 || selection.count === 0
            ? 'Select points and choose a joint'
            : `Give ${selection.count.toLocaleString('en')} points to ${name}`}
        </Button>
        <ToolToggle tool="block" mb={6}>
          Block in: select, then click a bone
        </ToolToggle>
        <ToolToggle tool="tie" disabled={joint < 0}>
          {joint < 0 ? 'Choose a joint to tie pieces to' : `Tie pieces to ${name}`}
        </ToolToggle>
        {tying && (
          <div className="card-line">Click a piece: all that hangs together follows the joint whole.</div>
        )}
      </section>
      <section className="group">
        <h2>Blend the borders</h2>
        <Group gap={6} wrap="nowrap" align="end">
          <NumberField
            steppers
            label="Rings to either side"
            min={1}
            max={MOST_BLEND_RINGS}
            allowDecimal={false}
            style={{ flex: 1 }}
            value={rings}
            onChange={(value) => value >= 1 && setRings(value)}
          />
          <Button
            variant="default"
            onClick={() =>
              act(
                blendShownBorders(session, rings, limit).then((changed) =>
                  session.tellPerson(
                    changed === 0
                      ? 'There is no border to blend there.'
                      : `${changed.toLocaleString('en')} points blended.`,
                  ),
                ),
              )
            }
          >
            Blend
          </Button>
        </Group>
        <div className="card-line">
          {selection.count > 0 ? 'Of the selection only.' : 'Of all parts that are shown.'}
        </div>
      </section>
      <ChainPanel session={session} />
    </>
  );
}

function LeftOver({ session }: { session: CharacterSession }) {
  useTopic(session, 'weights');
  const left = session.parts.filter(({ part }) => part.role === 'skinned');
  const count = left.reduce((sum, { skin }) => sum + countUnweighted(skin.rows), 0);
  const find = (): Map<number, Uint32Array> =>
    new Map(
      left.map(({ index, skin: { rows } }) => [
        index,
        Uint32Array.from({ length: rows.pointCount }, (_, p) => p).filter(
          (p) => rows.values[p * rows.stride] === 0,
        ),
      ]),
    );
  return (
    <section className="group">
      <div className="card-line" data-left-over={count}>
        {count === 0
          ? 'No point is left without weight.'
          : `${count.toLocaleString('en')} points are left without weight.`}
        {count > 0 && (
          <>
            <Button
              size="compact-xs"
              variant="default"
              ml={6}
              onClick={() => session.setMarks({ points: find(), joints: [] })}
            >
              Show me
            </Button>
            <Button
              size="compact-xs"
              variant="default"
              ml={4}
              onClick={() => session.selection.choosePoints(find(), 'replace')}
            >
              Select them
            </Button>
          </>
        )}
      </div>
    </section>
  );
}
