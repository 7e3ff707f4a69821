import { gatherReach, REST_JOINT, withJoint, type Axis } from '@judoka/core';
import type { CharacterSession } from '../session/CharacterSession.ts';
import type { BenchState } from '../state/benchSlice.ts';
import type { StageHit as Hit, StageView } from './StageView.ts';

/** Distance between dabs, as a share of the brush's radius: a stroke does not depend on the pointer's speed. */
const DAB_SPACING = 0.22;
/** Most dabs for one piece of a stroke; beyond, they are spread wider, so that a wild swing cannot freeze the page. */
const MOST_DABS = 24;

export const TOOL_NAMES: Readonly<Record<BenchState['tool'], string>> = {
  pose: 'Pose',
  tie: 'Tie',
  add: 'Add',
  take: 'Take away',
  set: 'Set to',
  smooth: 'Smooth',
};

/** What lies under the pointer, for the loupe. */
export interface Hover {
  readonly x: number;
  readonly y: number;
  readonly hit: Hit;
}

interface Callbacks {
  settings(): BenchState;
  /** Scene units: the radius setting is a share of the model's height. */
  radius(): number;
  hover(hover: Hover | undefined): void;
  turning(axis: Axis | undefined, degrees: number): void;
  sizing(dx: number, dy: number): void;
}

/** Turns pointer events on the stage into turns, strokes and choices. Right and middle buttons belong to the camera. */
export class StagePointer {
  readonly #view: StageView;
  readonly #session: CharacterSession;
  readonly #callbacks: Callbacks;
  readonly #stop = new AbortController();
  #mode: 'none' | 'turn' | 'stroke' | 'size' = 'none';
  #last = { x: 0, y: 0 };
  #lastHit: Hit | undefined;
  /** While true (its key is held), dragging sets the brush's radius and strength. */
  sizing = false;

  constructor(view: StageView, session: CharacterSession, callbacks: Callbacks) {
    this.#view = view;
    this.#session = session;
    this.#callbacks = callbacks;
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

  get #posing(): boolean {
    return this.#callbacks.settings().tool === 'pose';
  }

  #at(event: PointerEvent): { x: number; y: number } {
    const { left, top } = this.#view.canvas.getBoundingClientRect();
    return { x: event.clientX - left, y: event.clientY - top };
  }

  #down(event: PointerEvent): void {
    if (event.button !== 0 || this.#mode !== 'none') return;
    const { x, y } = this.#at(event);
    const { width, height } = this.#view.stageSize;
    if (y > height) return;
    this.#view.canvas.focus({ preventScroll: true });
    this.#view.canvas.setPointerCapture(event.pointerId);
    this.#last = { x, y };
    if (this.sizing) this.#mode = 'size';
    else if (this.#posing || event.ctrlKey) this.#beginPose(x, y, width, height);
    else this.#beginStroke(x, y, event);
  }

  #beginPose(x: number, y: number, width: number, height: number): void {
    const { camera, handles, skeleton } = this.#view;
    const { joint, pose } = this.#session;
    const axis = this.#posing && joint >= 0 ? handles.pick(x, y, camera, width, height) : undefined;
    if (axis) {
      handles.begin(axis, pose[joint] ?? REST_JOINT, x, y, camera, width, height);
      handles.highlight(axis);
      this.#mode = 'turn';
      return;
    }
    const found = skeleton.pick(x, y, camera, width, height);
    if (found >= 0) this.#session.chooseJoint(found);
  }

  #beginStroke(x: number, y: number, event: PointerEvent): void {
    const { width, height } = this.#view.stageSize;
    const hit = this.#view.pick(x, y);
    if (!hit) {
      const found = this.#view.skeleton.pick(x, y, this.#view.camera, width, height);
      if (found >= 0) this.#session.chooseJoint(found);
      return;
    }
    const { tool, strength, value, smoothAll, limit } = this.#callbacks.settings();
    const { joint } = this.#session;
    if (tool === 'pose') return;
    if (tool === 'tie') {
      this.#session
        .tieIsland(hit.part, hit.corners[0])
        .catch((error: Error) => this.#session.tellPerson(error.message));
      return;
    }
    if (joint < 0) {
      this.#session.tellPerson('Choose a joint first: in the roster, or by clicking its bone.');
      return;
    }
    if (hit.part.part.role === 'fixed') {
      this.#session.tellPerson(
        `“${hit.part.part.name}” has no weights of its own: it moves with the node it hangs on.`,
      );
      return;
    }
    try {
      this.#session.beginStroke(hit.part, { tool, joint, strength, value, smoothAll, limit });
    } catch (error) {
      this.#session.tellPerson(error instanceof Error ? error.message : String(error));
      return;
    }
    this.#mode = 'stroke';
    this.#dab(hit, event);
  }

  #move(event: PointerEvent): void {
    const { x, y } = this.#at(event);
    if (this.#mode === 'turn') this.#turn(x, y, event.ctrlKey);
    else if (this.#mode === 'size') {
      this.#callbacks.sizing(x - this.#last.x, y - this.#last.y);
      this.#last = { x, y };
      this.#view.showBrush(this.#lastHit, this.#callbacks.radius());
    } else if (this.#mode === 'stroke') {
      const events = event.getCoalescedEvents?.() ?? [];
      for (const each of events.length > 0 ? events : [event]) this.#strokeTo(each);
      this.#hover(x, y);
    } else if (event.buttons === 0) this.#hover(x, y);
  }

  #turn(x: number, y: number, steps: boolean): void {
    const { handles } = this.#view;
    const next = handles.drag(x, y, steps);
    if (!next) return;
    this.#session.setPose(withJoint(this.#session.pose, this.#session.joint, next));
    this.#callbacks.turning(handles.axis, handles.degrees);
  }

  /** Dabs along the way from the last one to here, evenly spaced on the screen. */
  #strokeTo(event: PointerEvent): void {
    const { x, y } = this.#at(event);
    const way = Math.hypot(x - this.#last.x, y - this.#last.y);
    const spacing = Math.max(2, this.#radiusOnScreen() * DAB_SPACING);
    if (way < spacing) return;
    const count = Math.min(MOST_DABS, Math.floor(way / spacing));
    const from = this.#last;
    const reach = count === MOST_DABS ? 1 : (count * spacing) / way;
    for (let i = 1; i <= count; i++) {
      const t = (i / count) * reach;
      this.#last = { x: from.x + (x - from.x) * t, y: from.y + (y - from.y) * t };
      const hit = this.#view.pick(this.#last.x, this.#last.y);
      // A stroke stays on the part on which it began.
      if (hit && hit.part === this.#session.strokePart) this.#dab(hit, event);
    }
  }

  #dab(hit: Hit, event: PointerEvent): void {
    const { penPressure, falloff } = this.#callbacks.settings();
    // A mouse has no pressure; the standard gives it one half.
    const pressure = event.pointerType === 'pen' ? Math.max(0.05, event.pressure) : 1;
    const radius = this.#callbacks.radius() * (penPressure === 'radius' ? pressure : 1);
    const { part, skin, paint, reach } = hit.part;
    const tip = { centre: hit.place, radius, falloff };
    const count = gatherReach(
      skin.positions,
      paint.neighbours,
      hit.corners,
      tip,
      reach,
      paint.points,
      paint.amounts,
    );
    if (part.role === 'skinned') this.#session.dab(count, penPressure === 'strength' ? pressure : 1);
    this.#lastHit = hit;
  }

  #up(event: PointerEvent): void {
    const mode = this.#mode;
    this.#mode = 'none';
    if (this.#view.canvas.hasPointerCapture(event.pointerId))
      this.#view.canvas.releasePointerCapture(event.pointerId);
    if (mode === 'turn') {
      this.#view.handles.end();
      this.#view.stageChanged();
      this.#callbacks.turning(undefined, 0);
    } else if (mode === 'stroke') this.#endStroke();
  }

  #endStroke(): void {
    const { tool } = this.#callbacks.settings();
    const report = this.#session.endStroke(
      `${TOOL_NAMES[tool]}, ${this.#session.jointName(this.#session.joint)}`,
    );
    if (!report) return;
    const told: string[] = [];
    const points = (n: number): string => (n === 1 ? '1 point' : `${n.toLocaleString('en')} points`);
    if (report.noReceiver > 0)
      told.push(`${points(report.noReceiver)} kept the weight: no other influence could take it`);
    if (report.lockedShort > 0)
      told.push(`${points(report.lockedShort)} got less: locked joints hold the rest`);
    if (report.dropped > 0)
      told.push(`${points(report.dropped)} lost the smallest influence to stay within the limit`);
    if (told.length > 0) this.#session.tellPerson(`${told.join('. ')}.`);
  }

  #hover(x: number, y: number): void {
    const { width, height } = this.#view.stageSize;
    const outside = y > height || x > width;
    const hit = outside ? undefined : this.#view.pick(x, y);
    this.#lastHit = hit ?? this.#lastHit;
    if (this.#posing) {
      const { joint } = this.#session;
      const { camera, handles } = this.#view;
      handles.highlight(joint >= 0 && !outside ? handles.pick(x, y, camera, width, height) : undefined);
      this.#view.showBrush(undefined, 1);
    } else this.#view.showBrush(hit, this.#callbacks.radius());
    this.#callbacks.hover(hit && { x, y, hit });
  }

  #leave(): void {
    if (this.#mode !== 'none') return;
    this.#view.showBrush(undefined, 1);
    this.#callbacks.hover(undefined);
  }

  #radiusOnScreen(): number {
    const { camera, stageSize } = this.#view;
    const distance = this.#lastHit?.distance ?? 1;
    return (
      (this.#callbacks.radius() / distance) * (camera.projectionMatrix.elements[5] / 2) * stageSize.height
    );
  }
}
