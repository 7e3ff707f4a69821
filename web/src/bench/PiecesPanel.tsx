import { Button } from '@mantine/core';
import { countUnweighted } from '@judoka/core';
import type { CharacterSession } from '../session/CharacterSession.ts';
import { useTopic } from '../session/useTopic.ts';
import { toolChosen } from '../state/benchSlice.ts';
import { useAppDispatch, useBench } from '../state/store.ts';

/** Rigid pieces: a click on one gives it to the chosen joint whole. The points left over are always counted. */
export function PiecesPanel({ session }: { session: CharacterSession }) {
  useTopic(session, 'joint');
  useTopic(session, 'weights');
  const dispatch = useAppDispatch();
  const { tool } = useBench();
  const { joint } = session;
  const left = session.parts.filter(({ part }) => part.role === 'skinned');
  const count = left.reduce((sum, { skin }) => sum + countUnweighted(skin.rows), 0);
  const show = (): void =>
    session.setMarks({
      points: new Map(
        left.map(({ index, skin: { rows } }) => [
          index,
          Uint32Array.from({ length: rows.pointCount }, (_, p) => p).filter(
            (p) => rows.values[p * rows.stride] === 0,
          ),
        ]),
      ),
      joints: [],
    });
  const tying = tool === 'tie';
  return (
    <section className="group">
      <h2>Whole pieces</h2>
      <Button
        fullWidth
        variant={tying ? 'filled' : 'default'}
        aria-pressed={tying}
        disabled={joint < 0}
        onClick={() => dispatch(toolChosen(tying ? 'pose' : 'tie'))}
      >
        {joint < 0 ? 'Choose a joint to tie pieces to' : `Tie pieces to ${session.jointName(joint)}`}
      </Button>
      <div className="card-line" style={{ marginTop: 6 }} data-left-over={count}>
        {tying && 'Click a piece: all that hangs together follows the joint whole. '}
        {count === 0
          ? 'No point is left without weight.'
          : `${count.toLocaleString('en')} points are left without weight.`}
        {count > 0 && (
          <Button size="compact-xs" variant="default" ml={6} onClick={show}>
            Show me
          </Button>
        )}
      </div>
    </section>
  );
}
