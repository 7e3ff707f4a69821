import { Button, Group, Loader } from '@mantine/core';
import { ActionButton } from '../../ui/ActionButton.tsx';
import {
  changeValues,
  counted,
  partPath,
  type Finding,
  FINDING_WORDS,
  type Severity,
} from '@judoka/core/document';
import { isShapeRepair, isSkeletonRepair, isWeightRepair } from '@judoka/core/operations/repair';
import { liveJoints } from '@judoka/core/skeleton';
import { useState } from 'react';
import { NO_MARKS } from '../../scene/Scene.ts';
import { useEvent } from '../../document/useEvent.ts';
import { ProfileChoice } from '../../settings/ProfileChoice.tsx';
import type { Editing } from '../../scene/Editing.ts';
import type { CheckUpWatch } from './CheckUpWatch.ts';
import './findings.css';

type At = Editing & { readonly checkUp: CheckUpWatch };

const KIND: Readonly<Record<Severity, string>> = { error: 'wrong', warning: 'worth a look', note: 'to know' };

/** Whether a finding can be repaired here, now. */
const repairable = ({ code, repair, settled }: Finding): boolean =>
  repair !== undefined && !settled && (isWeightRepair(code) || isSkeletonRepair(code) || isShapeRepair(code));

/** The check-up: everything that was found, worst first, each with where it is, what it means and its repair. */
export function CheckInPanel({ at }: { at: At }) {
  useEvent(at.checkUp.events, 'changed');
  useEvent(at.scene.events, 'marks');
  const { findings, failure, profile } = at.checkUp;
  const [busy, setBusy] = useState(false);
  const repair = (wanted: readonly Finding[]): void => {
    setBusy(true);
    repairAll(at, wanted)
      .catch(at.document.notifyError)
      .finally(() => setBusy(false));
  };
  const safe = (findings ?? []).filter((finding) => repairable(finding) && finding.safe);
  return (
    <>
      <section className="group">
        <h2>Check-up</h2>
        <Summary findings={findings} failure={failure} />
        <ProfileChoice profile={profile} choose={(chosen) => at.checkUp.setProfile(chosen)} />
        <Figures at={at} />
        {safe.length > 1 && (
          <>
            <ActionButton
              name="Repair all that is safe"
              fullWidth
              mt={10}
              loading={busy}
              onClick={() => repair(safe)}
            >
              Repair all that is safe
            </ActionButton>
            <div className="card-line">
              {safe.length} findings, {safe.reduce((sum, { count }) => sum + count, 0).toLocaleString('en')}{' '}
              points or joints; one step to undo.
            </div>
          </>
        )}
      </section>
      <div role="list" aria-label="Findings">
        {findings?.map((finding) => (
          <FindingCard
            key={`${finding.code} ${finding.part ?? ''} ${finding.joints?.[0] ?? ''}`}
            finding={finding}
            at={at}
            busy={busy}
            repair={() => repair([finding])}
          />
        ))}
      </div>
    </>
  );
}

function Summary({ findings, failure }: { findings: readonly Finding[] | undefined; failure: string }) {
  if (failure) return <p className="trouble">{failure}</p>;
  if (!findings) {
    return (
      <Group gap={8} role="status">
        <Loader size={14} /> Looking the character over
      </Group>
    );
  }
  const open = findings.filter(({ settled }) => !settled);
  const wrong = open.filter(({ severity }) => severity === 'error').length;
  const look = open.filter(({ severity }) => severity === 'warning').length;
  if (wrong + look === 0) {
    return (
      <div className="trouble fine" data-health="good" role="status">
        Healthy: nothing stands against painting.
      </div>
    );
  }
  const parts = [...(wrong > 0 ? [`${wrong} wrong`] : []), ...(look > 0 ? [`${look} worth a look`] : [])];
  return (
    <div className="trouble" data-health="ill" role="status">
      {parts.join(', ')}
    </div>
  );
}

/** Counts at a glance, against the profile. */
function Figures({ at }: { at: At }) {
  const { profile } = at.checkUp;
  const weights = useEvent(at.document.events, 'weights');
  const most = Math.max(0, ...at.scene.parts.map(({ skin: { rows } }) => mostInfluences(rows)));
  const vertices = at.scene.parts.reduce((sum, { part }) => sum + part.vertexCount, 0);
  const rows: [string, number, number][] = [
    ['Joints', liveJoints(at.document.skeleton).length, profile.joints],
    ['Vertices', vertices, profile.vertices],
    ['Most influences', most, profile.influences],
  ];
  return (
    <table className="limits" data-weights={weights}>
      <tbody>
        {rows.map(([what, count, limit]) => (
          <tr key={what} data-over={count > limit}>
            <td>{what}</td>
            <td className="figures">{count.toLocaleString('en')}</td>
            <td className="figures" style={{ whiteSpace: 'nowrap' }}>
              of {limit.toLocaleString('en')}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function mostInfluences({
  values,
  stride,
  pointCount,
}: {
  values: Float32Array;
  stride: number;
  pointCount: number;
}): number {
  let most = 0;
  for (let p = 0; p < pointCount; p++) while (most < stride && values[p * stride + most] !== 0) most++;
  return most;
}

interface FindingCardProps {
  readonly finding: Finding;
  readonly at: At;
  readonly busy: boolean;
  readonly repair: () => void;
}

function FindingCard({ finding, at, busy, repair }: FindingCardProps) {
  const { code, severity, message, points, joints, settled } = finding;
  const { title, means } = FINDING_WORDS[code];
  const shown = at.scene.marks.of === finding;
  const showable = (points?.length ?? 0) > 0 || (joints?.length ?? 0) > 0;
  const show = (): void => {
    if (shown) at.scene.setMarks(NO_MARKS);
    else
      at.scene.setMarks({
        points: new Map(points && finding.part !== undefined ? [[finding.part, points]] : []),
        joints: joints ?? [],
        of: finding,
      });
  };
  return (
    <div
      className="finding"
      role="listitem"
      data-code={code}
      data-severity={settled ? 'note' : severity}
      data-shown={shown}
    >
      <h3>
        {title} <span className="kind">{settled ? 'put right on arrival' : KIND[severity]}</span>
      </h3>
      <p>{message}</p>
      <p className="does">{means}</p>
      {!settled && finding.repair && repairable(finding) && <p className="does">Repair: {finding.repair}</p>}
      <Group gap={6} mt={6}>
        {showable && (
          <Button size="compact-xs" variant="default" aria-pressed={shown} onClick={show}>
            {shown ? 'Hide' : 'Show me'}
          </Button>
        )}
        {repairable(finding) && (
          <Button size="compact-xs" disabled={busy} onClick={repair}>
            Repair
          </Button>
        )}
      </Group>
    </div>
  );
}

async function repairAll(at: At, findings: readonly Finding[]): Promise<void> {
  const { change, joints, welds, report } = await at.checkUp.repair(findings);
  const what =
    findings.length === 1
      ? FINDING_WORDS[findings[0].code].title.toLowerCase()
      : counted(findings.length, 'finding');
  const paths = Object.entries(welds).map(([part, distance]): [string, number] => [
    partPath(Number(part), 'weld'),
    distance,
  ]);
  const values = changeValues(at.document.values, Object.fromEntries(paths));
  await at.document.perform(`Repair ${what}`, { weights: change, joints, values });
  at.scene.setMarks(NO_MARKS);
  if (report.helpless > 0) {
    at.document.notify(
      `${counted(report.helpless, 'point')} could not be helped: nothing on their part has weight. Bind it first.`,
    );
    return;
  }
  const done = [
    report.changed > 0 || joints.length + values.length === 0 ? counted(report.changed, 'point') : '',
    values.length > 0 ? counted(values.length, 'part') : '',
    joints.length > 0 ? counted(joints.length, 'joint') : '',
  ];
  at.document.notify(`${done.filter(Boolean).join(' and ')} repaired. Ctrl+Z takes it back.`);
}
