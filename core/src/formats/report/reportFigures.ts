import type { CharacterReport } from './characterReport.ts';
import { REPORT_ORDER } from './reportOrder.ts';
import { countInfluences } from './countInfluences.ts';
import { worstFigures, worstPose } from '../../analysis/bends/index.ts';
import type { Character } from '../../document/index.ts';
import { liveJoints } from '../../skeleton/skeleton.ts';

/** What a report says, as figures for programs: lengths in metres, angles in degrees, shares from 0 to 1. */
export function reportFigures(
  { parts, skeleton, rows }: Character,
  { findings, strays, bends, before, limits, profile }: CharacterReport,
  { name, at, by }: { readonly name: string; readonly at: Date; readonly by?: string },
): object {
  return {
    ...{ name, at: at.toISOString(), ...(by !== undefined && { by }) },
    parts: parts.map(({ name: part, pointCount, vertexCount, role }) => ({
      name: part,
      points: pointCount,
      vertices: vertexCount,
      role,
    })),
    joints: liveJoints(skeleton).map((joint) => skeleton.joints[joint].name),
    influences: countInfluences(rows),
    profile: profile.name,
    limits: limits.map(({ limit, isMet, excess, words }) => ({ limit, isMet, excess, words })),
    findings: findings.map(({ code, severity, count, message, settled }) => ({
      code,
      severity,
      count,
      message,
      settled: settled === true,
    })),
    strays: strays.map(({ part, joint, kind, points, movement }) => ({
      part: parts[part].name,
      joint: skeleton.joints[joint].name,
      ...{ kind, points: points.length, movement },
    })),
    bendsBefore: before.map((trial) => ({
      joint: skeleton.joints[trial.joint].name,
      stretch: worstFigures(trial, REPORT_ORDER).stretch,
    })),
    bends: bends.map(({ trial }) => {
      const { at: when, figures } = trial.poses[worstPose(trial, REPORT_ORDER)];
      const { stretch, damage, folded, volume } = figures;
      return {
        joint: skeleton.joints[trial.joint].name,
        at: when,
        stretch,
        damage,
        folded,
        volume: volume ?? null,
      };
    }),
  };
}
