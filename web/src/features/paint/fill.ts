import { BRUSH_TOOLS, type BrushTool } from '@judoka/core/operations/paint';
import type { UiSettings } from '../../settings/uiSettings.ts';
import { TOOL_NAMES } from '../../settings/toolNames.ts';
import { brushOf } from './brush.ts';
import type { Editing } from '../../scene/Editing.ts';
import type { Painting } from './Painting.ts';

type At = Editing & { readonly painting: Painting };

/** The tool in hand on all selected points, as one edit; what it could not do is told. */
export function fillSelection(at: At, settings: UiSettings, passes: number): void {
  const tool = settings.tool as BrushTool;
  if (!BRUSH_TOOLS.includes(tool)) {
    at.document.notify('Take a brush first: Add, Set to, Smooth or another.');
    return;
  }
  try {
    const brush = { ...brushOf(settings, at), tool, joint: at.scene.joint, singlePass: false };
    const run = at.painting.begin(brush, settings.joinTouching);
    for (let pass = 0; pass < passes; pass++) {
      for (const [part, points] of at.scene.selection.points()) {
        const { paint } = at.scene.parts[part];
        paint.points.set(points);
        paint.amounts.fill(1, 0, points.length);
        run.dab(at.scene.parts[part], points.length, 1);
      }
    }
  } catch (error) {
    at.document.notifyError(error);
  }
  const report = at.painting.end(`Fill: ${TOOL_NAMES[tool]}, ${at.document.jointName(at.scene.joint)}`);
  if (report && report.noReceiver + report.lockedShort > 0)
    at.document.notify(
      `${(report.noReceiver + report.lockedShort).toLocaleString('en')} points could not take all of it: locked joints, or nothing to receive what is freed.`,
    );
}
