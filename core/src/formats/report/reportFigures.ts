import { REPORT_ORDER, type CharacterReport } from './characterReport.ts';
import { countInfluences } from './countInfluences.ts';
import { worstPose } from '../../analysis/bends/index.ts';
import type { Character } from '../../document/index.ts';
import { liveJoints } from '../../skeleton/skeleton.ts';

/** What a report says, as figures for programs: lengths in metres, angles in degrees, shares from 0 to 1. */
export function reportFigures(
  { parts, skeleton, rows }: Character,
  { findings, strays, bends, limits, profile }: CharacterReport,
  { name, at }: { readonly name: string; readonly at: Date },
): object {
  return {
    ...{ name, at: at.toISOString() },
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
