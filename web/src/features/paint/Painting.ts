import type { BrushSettings } from '@judoka/core/operations/paint';
import type { WriteTurn } from '../../document/Writer.ts';
import type { Editing } from '../../scene/Editing.ts';
import { NO_MARKS } from '../../scene/Scene.ts';
import { StrokeRun, type RunReport, type StrokeMirror } from './StrokeRun.ts';

/** The stroke that is being painted: it has the writer's turn from its first dab to its end, and is one edit then. */
export class Painting {
  readonly #at: Editing;
  readonly #mirror: StrokeMirror;
  #stroke: { readonly run: StrokeRun; readonly turn: WriteTurn } | undefined;

  constructor(at: Editing, mirror: StrokeMirror) {
    this.#at = at;
    this.#mirror = mirror;
  }

  /**
   * @param joinsTouching whether smoothing brings points together that touch
   * @throws CoreError if the brush's joint is locked, somebody else writes, or the mirror cannot be followed
   */
  begin(settings: BrushSettings, joinsTouching = false): StrokeRun {
    const { document } = this.#at;
    document.refuseShown();
    document.settle();
    const turn = document.writer.begin('A stroke');
    try {
      const run = new StrokeRun(this.#at, this.#mirror, settings, joinsTouching);
      this.#stroke = { run, turn };
      return run;
    } catch (error) {
      turn.end();
      throw error;
    }
  }

  /** Ends the stroke: one edit, named, kept and sent. */
  end(label: string): RunReport | undefined {
    if (!this.#stroke) return undefined;
    const { document, scene } = this.#at;
    const { run, turn } = this.#stroke;
    this.#stroke = undefined;
    const { change, report } = run.finish();
    document.events.publish('weights');
    document.commit(label, { weights: change });
    turn.end();
    // What kept its weight is pointed out, without moving the camera.
    if (report.refused.size > 0) scene.setMarks({ points: report.refused, joints: [], keepsCamera: true });
    else if (scene.marks.keepsCamera) scene.setMarks(NO_MARKS);
    return report;
  }
}
