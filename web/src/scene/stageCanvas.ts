import { WebGLRenderer } from 'three';

/** The canvas of the stage, and what draws on it. */
export interface StageCanvas {
  readonly canvas: HTMLCanvasElement;
  readonly renderer: WebGLRenderer;
}

/** A canvas that nobody uses is kept so long: a character that is opened anew takes it over. */
const KEPT_MS = 5000;

let spare: { readonly held: StageCanvas; readonly timer: ReturnType<typeof setTimeout> } | undefined;

/** A canvas to draw on. To make one takes seconds where there is no graphics card, so one that was given back is used again. */
export function takeStageCanvas(): StageCanvas {
  const kept = spare;
  spare = undefined;
  clearTimeout(kept?.timer);
  if (kept && !kept.held.renderer.getContext().isContextLost()) return kept.held;
  kept?.held.renderer.dispose();
  const canvas = document.createElement('canvas');
  canvas.tabIndex = 0;
  canvas.setAttribute('aria-label', 'Stage: the model, and the bend strip below it');
  return { canvas, renderer: new WebGLRenderer({ canvas, antialias: true, preserveDrawingBuffer: true }) };
}

export function giveStageCanvasBack(held: StageCanvas): void {
  held.canvas.remove();
  if (spare) drop(spare.held);
  spare = {
    held,
    timer: setTimeout(() => {
      spare = undefined;
      drop(held);
    }, KEPT_MS),
  };
}

function drop({ renderer }: StageCanvas): void {
  renderer.dispose();
  renderer.forceContextLoss();
}
