import { BRUSH_TOOLS, type BrushTool } from '@judoka/core/operations/paint';
import type { BenchState } from '../state/benchSlice.ts';
import { TOOL_NAMES } from '../state/toolNames.ts';
import { brushOf } from './brush.ts';
import type { CharacterSession } from './CharacterSession.ts';

/** The tool in hand on all selected points, as one edit; what it could not do is told. */
export function fillSelection(session: CharacterSession, settings: BenchState, passes: number): void {
  const tool = settings.tool as BrushTool;
  if (!BRUSH_TOOLS.includes(tool))
    return session.tellPerson('Take a brush first: Add, Set to, Smooth or another.');
  try {
    const brush = { ...brushOf(settings, session), tool, joint: session.joint, singlePass: false };
    const run = session.beginStroke(brush, settings.meet);
    for (let pass = 0; pass < passes; pass++) {
      for (const [part, points] of session.selection.points()) {
        const { paint } = session.parts[part];
        paint.points.set(points);
        paint.amounts.fill(1, 0, points.length);
        run.dab(session.parts[part], points.length, 1);
      }
    }
  } catch (error) {
    session.tellPerson(error instanceof Error ? error.message : String(error));
  }
  const report = session.endStroke(`Fill: ${TOOL_NAMES[tool]}, ${session.jointName(session.joint)}`);
  if (report && report.noReceiver + report.lockedShort > 0)
    session.tellPerson(
      `${(report.noReceiver + report.lockedShort).toLocaleString('en')} points could not take all of it: locked joints, or nothing to receive what is freed.`,
    );
}
