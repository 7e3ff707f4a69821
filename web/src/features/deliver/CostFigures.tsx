import { Button, Group } from '@mantine/core';
import { angleWords } from '@judoka/core/analysis';
import type { CostPose } from '@judoka/core/analysis/costs';
import type { WeightFormat } from '@judoka/core/document';
import { useAppDispatch, useUiSettings } from '../../settings/store.ts';
import type { Editing } from '../../scene/Editing.ts';
import { settingsChanged } from '../../settings/uiSettings.ts';
import { costWords, lengthWords } from '../../ui/lengthWords.ts';
import type { Delivering, MeasuredCost } from './Delivering.ts';
import { CureRun } from './CureRun.tsx';

type At = Editing & { readonly delivering: Delivering };

/** What rounding to a format costs; measured when asked. */
export function RoundingCost({ at, format }: { at: At; format: WeightFormat }) {
  const measured = at.delivering.rounding(format);
  if (measured) return <CostFigures at={at} measured={measured} />;
  return (
    <CureRun
      at={at}
      what="Rounding weights"
      label="Measure what it costs"
      run={() => at.delivering.findRounding(format)}
    />
  );
}

/** What was measured, where it is worst, and the way there. */
export function CostFigures({
  at,
  measured,
  isProposed = false,
}: {
  at: At;
  measured: MeasuredCost;
  isProposed?: boolean;
}) {
  const dispatch = useAppDispatch();
  const { view } = useUiSettings('view');
  const { cost, pose } = measured;
  return (
    <>
      <table className="cost-figures">
        <tbody>
          {!isProposed && (
            <tr>
              <td>Costs at most</td>
              <td data-figure="rounding">{costWords(cost.greatest, at.document.size)}</td>
            </tr>
          )}
          <tr>
            <td>Root mean square</td>
            <td data-figure="rms">{lengthWords(cost.rms)}</td>
          </tr>
          {pose && (
            <tr>
              <td>Worst</td>
              <td>{poseWords(at, pose)}</td>
            </tr>
          )}
        </tbody>
      </table>
      {pose && (
        <Group gap={6} grow>
          <Button size="compact-sm" variant="default" onClick={() => at.delivering.lookAt(measured)}>
            Show the worst
          </Button>
          {isProposed && (
            <Button
              size="compact-sm"
              variant={view === 'cost' ? 'filled' : 'default'}
              aria-pressed={view === 'cost'}
              onClick={() => dispatch(settingsChanged({ view: view === 'cost' ? 'tide' : 'cost' }))}
            >
              On the surface
            </Button>
          )}
        </Group>
      )}
    </>
  );
}

function poseWords({ document }: At, { at: when }: CostPose): string {
  return 'joint' in when
    ? `${document.jointName(when.joint)}, ${angleWords(when.angles)}`
    : `“${when.clip}”, frame ${when.frame}`;
}
