import type { DocumentState } from '../../document/document.ts';
import type { Edit } from '../../document/edit.ts';
import { sameJson, type Json } from '../../document/json.ts';
import { changeValues } from '../../document/values.ts';
import { withPointCount } from '../../document/pointCounts.ts';
import { createRows, DEFAULT_STRIDE, type WeightRows } from '../../weights/rows.ts';
import { setupOf, sameSetup, type SkeletonChange } from '../../skeleton/skeletonChange.ts';
import { DeltaBuilder, type Change } from '../../weights/delta.ts';

/** What stays as it is now when a character is taken back: its moments, and how it stands on the stage. */
const STAYING = ['moments', 'pose'];

const NO_ROWS = createRows(0, DEFAULT_STRIDE);

/** The edit that takes a document back to how it was: weights, joints and all that is set. Named moments and the pose stay. */
export function restoreDocument(now: DocumentState, past: DocumentState): Edit {
  return { weights: rowChange(now, past), joints: jointChange(now, past), values: valueChange(now, past) };
}

function rowChange(now: DocumentState, past: DocumentState): Change {
  return Array.from({ length: Math.max(now.rows.length, past.rows.length) }, (_, part) => {
    const both = [now, past].map(({ rows }) => (rows[part] as WeightRows | undefined) ?? NO_ROWS);
    // A part may have had other points, or not been there: those that come or go have no weights before or after.
    const count = Math.max(...both.map(({ pointCount }) => pointCount));
    const [own, then] = both.map((each) => withPointCount(each, count));
    const builder = new DeltaBuilder(part, own.stride, count);
    for (let p = 0; p < count; p++) builder.push(p, own, p, then, p);
    return builder.finish();
  }).filter(({ points }) => points.length > 0);
}

function jointChange(now: DocumentState, past: DocumentState): SkeletonChange {
  const count = Math.max(now.skeleton.joints.length, past.skeleton.joints.length);
  const setupIn = ({ skeleton: { joints } }: DocumentState, joint: number) =>
    joint < joints.length && !joints[joint].removed ? setupOf(joints[joint]) : null;
  return Array.from({ length: count }, (_, joint) => ({
    joint,
    before: setupIn(now, joint),
    after: setupIn(past, joint),
  })).filter(({ before, after }) => !sameSetup(before, after));
}

function valueChange(now: DocumentState, past: DocumentState): Edit['values'] {
  const wanted: Record<string, Json> = {};
  for (const path of new Set([...Object.keys(now.values), ...Object.keys(past.values)])) {
    if (STAYING.includes(path.split('/')[0])) continue;
    const [has, had] = [now.values[path] ?? null, past.values[path] ?? null];
    if (!sameJson(has, had)) wanted[path] = had;
  }
  return changeValues(now.values, wanted);
}
