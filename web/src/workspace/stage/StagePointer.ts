import type { Workspace } from '../Workspace.ts';
import { influencesOf, weightOf } from '@judoka/core/weights';
import type { Gesture, GestureContext, StageCallbacks } from '../../scene/gesture.ts';
import type { Spot } from '../../scene/spot.ts';
import { gradientGesture } from '../../features/paint/gradientGesture.ts';
import { growGesture } from '../../features/joints/growGesture.ts';
import { placeGesture } from '../../features/joints/placeGesture.ts';
import { giveSelection, tieIsland } from '../../features/bind/handwork.ts';
import { edgeAt, showEdge } from '../../features/mesh/edgeGesture.ts';
import { isMeshBrush, meshGesture } from '../../features/mesh/meshGesture.ts';
import { outlineGesture, showCutAt } from '../../features/outlines/outlineGesture.ts';
import { reachGesture } from '../../features/reach/reachGesture.ts';
import { poseGesture } from '../../features/pose/poseGesture.ts';
import { selectBrushGesture, selectGesture } from '../../features/select/selectGesture.ts';
import { shapeGesture } from '../../features/shape/shapeGesture.ts';
import { strokeGesture } from '../../features/paint/strokeGesture.ts';
import type { StageHit } from '../../scene/picking/StageSight.ts';
import type { StageView } from '../../scene/StageView.ts';

/** What lies under a pointer that rests is told again when the surface has not moved for this long. */
const RESTED_MS = 120;
/** Two presses within this time are a double one. */
const DOUBLE_MS = 350;

/** Turns pointer events on the stage into gestures and choices. Right and middle buttons belong to the camera. */
export class StagePointer {
  readonly #context: GestureContext<Workspace>;
  readonly #stop = new AbortController();
  readonly #endLooks: () => void;
  #gesture: Gesture | undefined;
  #lastHit: StageHit | undefined;
  /** Where the pointer is; nowhere while it is not over the canvas. */
  #spot: Spot | undefined;
  #rested: ReturnType<typeof setTimeout> | undefined;
  #lastPress = { x: 0, y: 0, time: -Infinity };
  /** While true (its key is held), dragging sets the brush's radius and strength. */
  sizing = false;

  constructor(view: StageView, at: Workspace, callbacks: StageCallbacks) {
    this.#context = { view, at, callbacks };
    const { signal } = this.#stop;
    const { canvas } = view;
    canvas.addEventListener('pointerdown', (event) => this.#down(event), { signal });
    canvas.addEventListener('pointermove', (event) => this.#move(event), { signal });
    canvas.addEventListener('pointerup', (event) => this.#up(event), { signal });
    canvas.addEventListener('pointercancel', (event) => this.#up(event), { signal });
    canvas.addEventListener('pointerleave', () => this.#leave(), { signal });
    this.#endLooks = view.onLooked(() => this.#lookedElsewhere());
    canvas.addEventListener('contextmenu', (event) => event.preventDefault(), { signal });
  }

  dispose(): void {
    this.#stop.abort();
    this.#endLooks();
    clearTimeout(this.#rested);
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
    if (this.#context.at.comments.isPointing) return this.#pointOut(at);
    if (this.sizing) return this.#sizeGesture(at);
    if (event.ctrlKey && !['pose', 'place', 'grow', 'outline'].includes(tool)) return this.#chooseBone(at);
    switch (tool) {
      case 'pose':
      case 'place':
        return this.#beginHandles(at);
      case 'grow':
        return growGesture(this.#context, at);
      case 'outline':
        return outlineGesture(this.#context, at, event) ?? this.#chooseBone(at);
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
      case 'mesh': {
        const hit = this.#context.view.sight.pick(at.x, at.y);
        return hit ? meshGesture(this.#context, hit, at, event) : this.#chooseBone(at);
      }
      case 'shape': {
        const hit = this.#context.view.sight.pick(at.x, at.y);
        return hit ? shapeGesture(this.#context, hit, at, event) : this.#chooseBone(at);
      }
      case 'gradient': {
        const hit = this.#context.view.sight.pick(at.x, at.y);
        return hit ? gradientGesture(this.#context, hit, at) : this.#chooseBone(at);
      }
      default: {
        const hit = this.#context.view.sight.pick(at.x, at.y);
        if (hit && event.altKey) return event.shiftKey ? this.#pickRow(hit) : this.#pickValue(hit);
        return hit ? strokeGesture(this.#context, hit, at, event) : this.#chooseBone(at);
      }
    }
  }

  /** Says which place the comment is about that is being written. */
  #pointOut({ x, y }: Spot): Gesture | undefined {
    const { view, at } = this.#context;
    const hit = view.sight.pick(x, y);
    if (hit) at.comments.set({ place: { part: hit.part.index, point: hit.point }, isPointing: false });
    return undefined;
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
    const { view, at } = this.#context;
    const bone = view.skeleton.pick(x, y, view.camera, view.stageSize.width, view.stageSize.height);
    if (bone < 0 || at.scene.selection.count === 0) return false;
    at.scene.chooseJoint(bone);
    giveSelection(at, bone)
      .then(() => at.scene.selection.clear())
      .catch(at.document.notifyError);
    return true;
  }

  #chooseBone({ x, y }: Spot): Gesture | undefined {
    const { view, at } = this.#context;
    const found = view.skeleton.pick(x, y, view.camera, view.stageSize.width, view.stageSize.height);
    if (found >= 0) at.scene.chooseJoint(found);
    return undefined;
  }

  /** A handle is dragged; any other joint is chosen, and can be dragged at once where joints are placed. */
  #beginHandles(spot: Spot): Gesture | undefined {
    const { view, at } = this.#context;
    const placing = this.#tool === 'place';
    const handle = at.scene.joint >= 0 ? view.handles.pick(spot, view.stageSize.width) : undefined;
    if (handle && placing) return placeGesture(this.#context, at.scene.joint, handle, spot);
    if (handle) return poseGesture(this.#context, handle, spot);
    const before = at.scene.joint;
    this.#chooseBone(spot);
    return placing && at.scene.joint >= 0 && at.scene.joint !== before
      ? placeGesture(this.#context, at.scene.joint, 'free', spot)
      : undefined;
  }

  #tie({ x, y }: Spot): Gesture | undefined {
    const { view, at } = this.#context;
    const hit = view.sight.pick(x, y);
    if (!hit) return this.#chooseBone({ x, y });
    tieIsland(at, hit.part, hit.corners[0]).catch(at.document.notifyError);
    return undefined;
  }

  /** Takes the chosen joint's weight there for Set to. */
  #pickValue({ part, point }: StageHit): Gesture | undefined {
    const { at, callbacks } = this.#context;
    if (at.scene.joint < 0) return undefined;
    const value = Math.round(weightOf(part.skin.rows, point, at.scene.joint) * 1000) / 1000;
    callbacks.picked(value);
    at.document.notify(
      `Set to is ${value.toFixed(3)} now, as ${at.document.jointName(at.scene.joint)} has it there.`,
    );
    return undefined;
  }

  /** Holds all of the point's weights, to be pasted onto a selection. */
  #pickRow({ part, point }: StageHit): Gesture | undefined {
    const { at } = this.#context;
    const row = [...influencesOf(part.skin.rows, point)];
    at.clipboard.hold(row);
    const words = row.map(({ joint, weight }) => `${at.document.jointName(joint)} ${weight.toFixed(2)}`);
    at.document.notify(
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
    this.#spot = at;
    if (this.#gesture) this.#gesture.move(at, event);
    else if (event.buttons === 0) this.#hover(at);
  }

  /** What was under the pointer is not there any more: nothing is told until it is known what is. */
  #lookedElsewhere(): void {
    if (this.#gesture || !this.#spot) return;
    this.#tellNothing();
    clearTimeout(this.#rested);
    this.#rested = setTimeout(() => {
      if (this.#spot && !this.#gesture) this.#hover(this.#spot);
    }, RESTED_MS);
  }

  #up(event: PointerEvent): void {
    const { view } = this.#context;
    if (view.canvas.hasPointerCapture(event.pointerId)) view.canvas.releasePointerCapture(event.pointerId);
    const gesture = this.#gesture;
    this.#gesture = undefined;
    gesture?.end(view.spotOf(event), event);
  }

  #hover({ x, y }: Spot): void {
    const { view, at, callbacks } = this.#context;
    const { width, height } = view.stageSize;
    const outside = y > height || x > width;
    const hit = outside ? undefined : view.sight.pick(x, y);
    this.#lastHit = hit ?? this.#lastHit;
    const { tool, selectShape, meshMode } = callbacks.settings();
    if (tool === 'pose' || tool === 'place') {
      view.handles.highlight(
        at.scene.joint >= 0 && !outside ? view.handles.pick({ x, y }, width) : undefined,
      );
      view.stageChanged();
    }
    const selecting = tool === 'select' || tool === 'block';
    const bare = ['pose', 'place', 'grow', 'reach', 'tie', 'outline', 'gradient'].includes(tool);
    if (tool === 'grow') view.showNewJoint(outside ? undefined : view.sight.middleOfBody(x, y));
    if (tool === 'outline') showCutAt(this.#context, outside ? undefined : { x, y });
    const edges = tool === 'mesh' && !isMeshBrush(meshMode);
    if (edges && meshMode !== 'takeOut') {
      const met = hit && edgeAt(this.#context, hit, { x, y });
      callbacks.saying(showEdge(this.#context, met, meshMode));
    }
    const brushing = selecting ? selectShape === 'brush' : !bare && !edges;
    view.showBrush(brushing ? hit : undefined, callbacks.radius());
    // What a press would do to an edge is seen, not covered.
    callbacks.hover(edges ? undefined : hit && { x, y, hit });
  }

  #leave(): void {
    this.#spot = undefined;
    if (!this.#gesture) this.#tellNothing();
  }

  #tellNothing(): void {
    this.#context.view.showBrush(undefined, 1);
    this.#context.view.showNewJoint(undefined);
    if (this.#tool === 'outline') showCutAt(this.#context, undefined);
    if (this.#tool === 'mesh') this.#context.callbacks.saying(showEdge(this.#context, undefined, 'loop'));
    this.#context.callbacks.hover(undefined);
  }
}
