import { counted } from '@judoka/core/document';
import { Button, Group } from '@mantine/core';
import { ActionButton } from '../../ui/ActionButton.tsx';
import { countUnweighted } from '@judoka/core/weights';
import { MAX_BLEND_RINGS } from '@judoka/core/operations/paint';
import { useState, type ReactNode } from 'react';
import { blendShownBorders, giveSelection } from './handwork.ts';
import { useEvent } from '../../document/useEvent.ts';
import { useUiSettings } from '../../settings/store.ts';
import { ChainPanel } from './ChainPanel.tsx';
import { NumberField } from '../../ui/NumberField.tsx';
import { ToolToggle } from '../../settings/ToolToggle.tsx';
import type { Editing } from '../../scene/Editing.ts';

type At = Editing;

/**
 * Bindings by hand: points, pieces and chains are given to joints; what is left over is always counted.
 *
 * @param selecting what points are selected with
 */
export function PiecesPanel({ at, selecting }: { at: At; selecting: ReactNode }) {
  useEvent(at.scene.events, 'joint');
  useEvent(at.scene.events, 'selection');
  const { tool, limit } = useUiSettings('tool', 'limit');
  const [rings, setRings] = useState(3);
  const {
    scene: { joint, selection },
  } = at;
  const tying = tool === 'tie';
  const act = (work: Promise<unknown>): void => void work.catch(at.document.notifyError);
  const name = at.document.jointName(joint);
  return (
    <>
      <LeftOver at={at} />
      {selecting}
      <section className="group">
        <h2>Give to one joint</h2>
        <ActionButton
          name="Give the selection to the chosen joint"
          fullWidth
          mb={6}
          disabled={joint < 0 || selection.count === 0}
          onClick={() => act(giveSelection(at, joint))}
        >
          {joint < 0 || selection.count === 0
            ? 'Select points and choose a joint'
            : `Give ${counted(selection.count, 'point')} to ${name}`}
        </ActionButton>
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
            max={MAX_BLEND_RINGS}
            allowDecimal={false}
            style={{ flex: 1 }}
            value={rings}
            onChange={(value) => value >= 1 && setRings(value)}
          />
          <ActionButton
            name="Blend borders"
            variant="default"
            onClick={() =>
              act(
                blendShownBorders(at, rings, limit).then((changed) =>
                  at.document.notify(
                    changed === 0
                      ? 'There is no border to blend there.'
                      : `${counted(changed, 'point')} blended.`,
                  ),
                ),
              )
            }
          >
            Blend
          </ActionButton>
        </Group>
        <div className="card-line">
          {selection.count > 0 ? 'Of the selection only.' : 'Of all parts that are shown.'}
        </div>
      </section>
      <ChainPanel at={at} />
    </>
  );
}

function LeftOver({ at }: { at: At }) {
  useEvent(at.document.events, 'weights');
  useEvent(at.document.events, 'joints');
  const left = at.scene.parts;
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
          : `${counted(count, 'point is', 'points are')} left without weight.`}
        {count > 0 && (
          <>
            <Button
              size="compact-xs"
              variant="default"
              ml={6}
              onClick={() => at.scene.setMarks({ points: find(), joints: [] })}
            >
              Show me
            </Button>
            <ActionButton
              name="Select the points that are left over"
              size="compact-xs"
              variant="default"
              ml={4}
              onClick={() => at.scene.selection.choosePoints(find(), 'replace')}
            >
              Select them
            </ActionButton>
          </>
        )}
      </div>
    </section>
  );
}
