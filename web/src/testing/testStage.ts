import { DAY } from '../ui/theme/tokens.ts';
import { BufferAttribute, BufferGeometry, PerspectiveCamera, Vector3 } from 'three';
import { MeshBVH } from 'three-mesh-bvh';
import type { Gesture, GestureContext } from '../scene/gesture.ts';
import { PartPicker } from '../scene/picking/Picker.ts';
import { StageSight } from '../scene/picking/StageSight.ts';
import { PoseHandles } from '../scene/PoseHandles.ts';
import type { Spot } from '../scene/spot.ts';
import type { StageView } from '../scene/StageView.ts';
import type { UiSettings } from '../settings/uiSettings.ts';
import { store } from '../settings/store.ts';
import type { Workspace } from '../workspace/Workspace.ts';

const SIZE = { width: 800, height: 600 };

/** A stage that is not drawn: a camera in front of the body, real picking, and what gestures say of themselves. */
export class TestStage {
  readonly camera = new PerspectiveCamera(30, SIZE.width / SIZE.height, 0.1, 100);
  readonly handles = new PoseHandles(DAY);
  /** What the pointer wants to be told when the camera has moved. */
  looked: () => void = () => undefined;
  readonly said: string[] = [];
  readonly outlines: (Float32Array | undefined)[] = [];
  settings: UiSettings = { ...store.getState().ui };
  radius = 0.5;
  /** How far from the chosen joint's bones the pointer is, as the next drag of a reach finds it. */
  reachRadius = 0.5;
  readonly sight: StageSight;
  readonly context: GestureContext<Workspace>;
  readonly #at: Workspace;

  constructor(at: Workspace) {
    this.#at = at;
    this.camera.position.set(0, 0, 16);
    this.camera.updateMatrixWorld();
    const parts = at.scene.parts.map((part) => {
      const geometry = new BufferGeometry();
      geometry.setAttribute('position', new BufferAttribute(part.skin.positions, 3));
      geometry.setIndex(new BufferAttribute(part.part.triangles, 1));
      const tree = MeshBVH.serialize(new MeshBVH(geometry, { indirect: true }));
      const picker = new PartPicker({ part: part.part, skin: part.skin, tree }, geometry);
      at.scene.events.subscribe('pose', () => picker.moved());
      return { part, picker };
    });
    this.sight = new StageSight(parts, this.camera, () => SIZE);
    this.context = { at, view: this.#view(), callbacks: this.#callbacks() };
  }

  #view(): StageView {
    const view: Partial<Record<keyof StageView, unknown>> = {
      sight: this.sight,
      camera: this.camera,
      handles: this.handles,
      stageSize: SIZE,
      spotOf: ({ clientX, clientY }: { clientX: number; clientY: number }) => ({ x: clientX, y: clientY }),
      reachRadiusAt: () => this.reachRadius,
      showBrush: () => undefined,
      showNewJoint: () => undefined,
      onLooked: (listener: () => void) => {
        this.looked = listener;
        return () => undefined;
      },
      showTether: () => undefined,
      showOutline: (line: Float32Array | undefined) => this.outlines.push(line),
      stageChanged: () => undefined,
    };
    return view as unknown as StageView;
  }

  #callbacks(): GestureContext['callbacks'] {
    return {
      settings: () => this.settings,
      radius: () => this.radius,
      hover: () => undefined,
      saying: (words) => this.said.push(words),
      sizing: () => undefined,
      picked: () => undefined,
    };
  }

  /** Where a place of the scene lies on the stage. */
  spotOf(x: number, y: number, z: number): Spot {
    const at = new Vector3(x, y, z).project(this.camera);
    return { x: ((at.x + 1) / 2) * SIZE.width, y: ((1 - at.y) / 2) * SIZE.height };
  }

  /** Puts the handles about the chosen joint, as drawing does. */
  placeHandles(inScene = false): void {
    const { joint, world } = this.#at.scene;
    const frame = world.subarray(joint * 16, joint * 16 + 16);
    const at = new Vector3(frame[12], frame[13], frame[14]);
    this.handles.place(at, inScene ? undefined : frame, this.camera, SIZE.height);
  }
}

/** A pointer's event, as far as gestures look at it. */
export const pointer = (more: Partial<PointerEvent> = {}): PointerEvent =>
  ({
    pressure: 0.5,
    pointerType: 'mouse',
    shiftKey: false,
    altKey: false,
    ctrlKey: false,
    getCoalescedEvents: () => [],
    ...more,
  }) as unknown as PointerEvent;

/** Drags a gesture along spots, and lets it go at the last. */
export function drag(
  gesture: Gesture | undefined,
  spots: readonly Spot[],
  more: Partial<PointerEvent> = {},
): void {
  if (!gesture) throw new Error('No gesture began.');
  for (const spot of spots) gesture.move(spot, pointer({ clientX: spot.x, clientY: spot.y, ...more }));
  gesture.end(spots[spots.length - 1], pointer(more));
}
