import { influencesOf, weightOf } from '@judoka/core/weights';
import type { CharacterSession } from '../session/CharacterSession.ts';
import type { Gesture, GestureContext, Spot, StageCallbacks } from './gestures/gesture.ts';
import { tellError } from './gestures/gesture.ts';
import { gradientGesture } from './gestures/gradientGesture.ts';
import { placeGesture } from './gestures/placeGesture.ts';
import { giveSelection, tieIsland } from '../session/handwork.ts';
import { reachGesture } from './gestures/reachGesture.ts';
import { poseGesture } from './gestures/poseGesture.ts';
import { selectBrushGesture, selectGesture } from './gestures/selectGesture.ts';
import { strokeGesture } from './gestures/strokeGesture.ts';
import type { StageHit, StageView } from './StageView.ts';

/** Two presses within this time are a double one. */
const DOUBLE_MS = 350;

/** Turns pointer events on the stage into gestures and choices. Right and middle buttons belong to the camera. */
export class StagePointer {
  readonly #context: GestureContext;
  readonly #stop = new AbortController();
  #gesture: Gesture | undefined;
  #lastHit: StageHit | undefined;
  #lastPress = { x: 0, y: 0, time: -Infinity };
  /** While true (its key is held), dragging sets the brush's radius and strength. */
  sizing = false;

  constructor(view: StageView, session: CharacterSession, callbacks: StageCallbacks) {
    this.#context = { view, session, callbacks };
    const { signal } = this.#stop;
    const { canvas } = view;
    canvas.addEventListener('pointerdown', (event) => this.#down(event), { signal });
    canvas.addEventListener('pointermove', (event) => this.#move(event), { signal });
    canvas.addEventListener('pointerup', (event) => this.#up(event), { signal });
    canvas.addEventListener('pointercancel', (event) => this.#up(event), { signal });
    canvas.addEventListener('pointerleave', () => this.#leave(), { signal });
    canvas.addEventListener('contextmenu', (event) => event.preventDefault(), { signal });
  }

  dispose(): void {
    this.#stop.abort();
  }

  get #tool() {
    return this.#context.callbacks.settings().tool;
  }

  #down(event: PointerEvent): void {
    if (event.button !== 0 || this.#gesture) return;
    const { view } = this.#context;
    const at = view.spotOf(event);
    if (at.y > view.stageSize.height) return;
    view.canvas.focus({ preventScroll: true });
    view.canvas.setPointerCapture(event.pointerId);
    this.#gesture = this.#begin(at, event);
  }

  #begin(at: Spot, event: PointerEvent): Gesture | undefined {
    const tool = this.#tool;
    if (this.sizing) return this.#sizeGesture(at);
    if (event.ctrlKey && tool !== 'pose' && tool !== 'place') return this.#chooseBone(at);
    switch (tool) {
      case 'pose':
      case 'place':
        return this.#beginHandles(at);
      case 'tie':
        return this.#tie(at);
      case 'reach': {
        const edge = this.#context.view.reachEdgeAt(at);
        return edge ? reachGesture(this.#context, edge) : this.#chooseBone(at);
      }
      case 'block':
        return this.#giveToBone(at) ? undefined : this.#beginSelecting(at, event);
      case 'select':
        return this.#beginSelecting(at, event);
      case 'gradient': {
        const hit = this.#context.view.pick(at.x, at.y);
        return hit ? gradientGesture(this.#context, hit, at) : this.#chooseBone(at);
      }
      default: {
        const hit = this.#context.view.pick(at.x, at.y);
        if (hit && event.altKey) return event.shiftKey ? this.#pickRow(hit) : this.#pickValue(hit);
        return hit ? strokeGesture(this.#context, hit, at, event) : this.#chooseBone(at);
      }
    }
  }

  /** Pointer events do not count clicks. */
  #isSecondPress(at: Spot): boolean {
    const { x, y, time } = this.#lastPress;
    this.#lastPress = { ...at, time: performance.now() };
    return performance.now() - time < DOUBLE_MS && Math.hypot(at.x - x, at.y - y) < 5;
  }

  #beginSelecting(at: Spot, event: PointerEvent): Gesture {
    return this.#context.callbacks.settings().selectShape === 'brush'
      ? selectBrushGesture(this.#context, at, event)
      : selectGesture(this.#context, at, event, this.#isSecondPress(at));
  }

  /** Gives the selection to the bone under a place. @returns whether there was one, and something to give */
  #giveToBone({ x, y }: Spot): boolean {
    const { view, session } = this.#context;
    const bone = view.skeleton.pick(x, y, view.camera, view.stageSize.width, view.stageSize.height);
    if (bone < 0 || session.selection.count === 0) return false;
    session.chooseJoint(bone);
    giveSelection(session, bone)
      .then(() => session.selection.clear())
      .catch((error: unknown) => tellError(session, error));
    return true;
  }

  #chooseBone({ x, y }: Spot): undefined {
    const { view, session } = this.#context;
    const found = view.skeleton.pick(x, y, view.camera, view.stageSize.width, view.stageSize.height);
    if (found >= 0) session.chooseJoint(found);
    return undefined;
  }

  /** A handle is dragged; any other joint is chosen, and can be dragged at once where joints are placed. */
  #beginHandles(at: Spot): Gesture | undefined {
    const { view, session } = this.#context;
    const placing = this.#tool === 'place';
    const handle = session.joint >= 0 ? view.handles.pick(at, view.stageSize.width) : undefined;
    if (handle && placing) return placeGesture(this.#context, session.joint, handle, at);
    if (handle) return poseGesture(this.#context, handle, at);
    const before = session.joint;
    this.#chooseBone(at);
    return placing && session.joint >= 0 && session.joint !== before
      ? placeGesture(this.#context, session.joint, 'free', at)
      : undefined;
  }

  #tie({ x, y }: Spot): undefined {
    const { view, session } = this.#context;
    const hit = view.pick(x, y);
    if (!hit) return this.#chooseBone({ x, y });
    tieIsland(session, hit.part, hit.corners[0]).catch((error: unknown) => tellError(session, error));
    return undefined;
  }

  /** Takes the chosen joint's weight there for Set to. */
  #pickValue({ part, point }: StageHit): undefined {
    const { session, callbacks } = this.#context;
    if (session.joint < 0) return undefined;
    const value = Math.round(weightOf(part.skin.rows, point, session.joint) * 1000) / 1000;
    callbacks.picked(value);
    session.tellPerson(
      `Set to is ${value.toFixed(3)} now, as ${session.jointName(session.joint)} has it there.`,
    );
    return undefined;
  }

  /** Holds all of the point's weights, to be pasted onto a selection. */
  #pickRow({ part, point }: StageHit): undefined {
    const { session } = this.#context;
    const row = [...influencesOf(part.skin.rows, point)];
    session.holdRow(row);
    const words = row.map(({ joint, weight }) => `${session.jointName(joint)} ${weight.toFixed(2)}`);
    session.tellPerson(
      row.length === 0
        ? 'This point has no weights to hold.'
        : `Held: ${words.join(', ')}. Paste under Exact gives them to a selection.`,
    );
    return undefined;
  }

  #sizeGesture(from: Spot): Gesture {
    const { view, callbacks } = this.#context;
    let last = from;
    return {
      move: (at) => {
        callbacks.sizing(at.x - last.x, at.y - last.y);
        last = at;
        view.showBrush(this.#lastHit, callbacks.radius());
      },
      end: () => undefined,
    };
  }

  #move(event: PointerEvent): void {
    const at = this.#context.view.spotOf(event);
    if (this.#gesture) this.#gesture.move(at, event);
    else if (event.buttons === 0) this.#hover(at);
  }

  #up(event: PointerEvent): void {
    const { view } = this.#context;
    if (view.canvas.hasPointerCapture(event.pointerId)) view.canvas.releasePointerCapture(event.pointerId);
    const gesture = this.#gesture;
    this.#gesture = undefined;
    gesture?.end(view.spotOf(event), event);
  }

  #hover({ x, y }: Spot): void {
    const { view, session, callbacks } = this.#context;
    const { width, height } = view.stageSize;
    const outside = y > height || x > width;
    const hit = outside ? undefined : view.pick(x, y);
    this.#lastHit = hit ?? this.#lastHit;
    const { tool, selectShape } = callbacks.settings();
    if (tool === 'pose' || tool === 'place') {
      view.handles.highlight(session.joint >= 0 && !outside ? view.handles.pick({ x, y }, width) : undefined);
      view.stageChanged();
    }
    const selecting = tool === 'select' || tool === 'block';
    const bare =
      tool === 'pose' || tool === 'place' || tool === 'reach' || tool === 'tie' || tool === 'gradient';
    const brushing = selecting ? selectShape === 'brush' : !bare;
    view.showBrush(brushing ? hit : undefined, callbacks.radius());
    callbacks.hover(hit && { x, y, hit });
  }

  #leave(): void {
    if (this.#gesture) return;
    this.#context.view.showBrush(undefined, 1);
    this.#context.callbacks.hover(undefined);
  }
}
