import type { WebGLRenderer } from 'three';
import { Scene, Vector2, Vector3, type PerspectiveCamera, type ShaderMaterial } from 'three';
import { updateStrain } from './strainView.ts';
import type { WeightView } from '../settings/uiSettings.ts';
import type { StageCanvas } from './stageCanvas.ts';
import type { Tokens } from '../ui/theme/tokens.ts';
import { createClay, setClayGhost, setClayView, srgb } from './drawings/clay.ts';
import { EdgeInk } from './drawings/EdgeInk.ts';
import type { Beside } from '../settings/uiSettings.ts';
import { BesideDrawing } from './drawings/BesideDrawing.ts';
import { CursorDrawing, type Tether } from './drawings/CursorDrawing.ts';
import { FlatDrawing } from './flat/FlatDrawing.ts';
import { GhostDrawing } from './drawings/GhostDrawing.ts';
import { GroundDrawing } from './drawings/GroundDrawing.ts';
import { MarkDrawing } from './drawings/MarkDrawing.ts';
import { figureOf, PartDrawing, tintsOf } from './drawings/PartDrawing.ts';
import type { Hit } from './picking/Picker.ts';
import type { ScenePart } from './ScenePart.ts';
import { SmoothDrawing, type SmoothLevels } from './drawings/SmoothDrawing.ts';
import { StageSight } from './picking/StageSight.ts';
import { SkeletonDrawing } from './drawings/SkeletonDrawing.ts';
import { StripDrawing } from './drawings/StripDrawing.ts';
import type { Spot } from './spot.ts';
import { PoseHandles, type HandleMode } from './PoseHandles.ts';
import { type ReachSource, ReachDrawing, type ReachEdge } from './drawings/ReachDrawing.ts';
import { type CameraPlace, StageCamera } from './StageCamera.ts';
import { SelectionDrawing } from './drawings/SelectionDrawing.ts';
import type { Editing } from './Editing.ts';
import type { Look } from './stageActions.ts';

/** What the stage shows. */
type At = Editing & { readonly reachTool: ReachSource };

/** A rectangle of the canvas, in CSS pixels from its top left corner. */
export interface Box {
  readonly left: number;
  readonly top: number;
  readonly width: number;
  readonly height: number;
}

const PICTURE_PX = { width: 144, height: 108 };

/**
 * Draws the stage and, in scissored views of the same renderer, the bend strip. Nothing is drawn until something has
 * changed; then once, at the next frame.
 */
export class StageView {
  readonly canvas: HTMLCanvasElement;
  readonly handles: PoseHandles;
  readonly skeleton: SkeletonDrawing;
  readonly sight: StageSight;
  readonly #at: At;
  readonly #renderer: WebGLRenderer;
  readonly #scene = new Scene();
  readonly #clay: ShaderMaterial;
  readonly #edgeInk: EdgeInk;
  readonly #parts: readonly PartDrawing[];
  readonly #strip: StripDrawing;
  readonly #camera: StageCamera;
  readonly #cursor: CursorDrawing;
  readonly #selection: SelectionDrawing;
  readonly #smooth: SmoothDrawing;
  readonly #reach: ReachDrawing;
  readonly #ghost: GhostDrawing;
  readonly #ground: GroundDrawing;
  readonly #marks: MarkDrawing;
  readonly #beside: BesideDrawing;
  readonly #flat: FlatDrawing | undefined;
  #besideBox: Box | undefined;
  readonly #unsubscribe: (() => void)[] = [];
  #view: WeightView = 'tide';
  #stageBox: Box = { left: 0, top: 0, width: 1, height: 1 };
  #cells: readonly Box[] = [];
  #frame = 0;
  #stageDirty = true;
  #stripDirty = true;
  readonly #drawnListeners = new Set<() => void>();
  readonly #lookedListeners = new Set<() => void>();
  #looksAnew = false;
  #handlesInScene = false;
  /** Frames drawn so far; tests wait on it. */
  framesDrawn = 0;

  constructor({ canvas, renderer }: StageCanvas, at: At, tokens: Tokens, held?: CameraPlace) {
    this.canvas = canvas;
    this.#at = at;
    // Tests wait for a character that is opened anew.
    canvas.dataset.points = String(at.scene.parts.reduce((sum, { part }) => sum + part.pointCount, 0));
    this.#renderer = renderer;
    // Whoever waits for the next frame of a canvas does so over a change of what draws on it.
    this.framesDrawn = Number(canvas.dataset.frames ?? 0);
    this.#renderer.autoClear = false;
    this.#renderer.setClearColor(srgb(tokens.paper).convertSRGBToLinear(), 1);
    this.#clay = createClay(tokens);
    this.#edgeInk = new EdgeInk(this.#clay, tokens);
    this.#parts = at.scene.parts.map((part) => new PartDrawing(part, this.#clay, at.scene.palette.rgb));
    for (const part of this.#parts) if (part.isCage) part.setEdges(this.#edgeInk);
    this.#smooth = new SmoothDrawing(this.#parts, this.#clay, () => this.#dirty(true, false));
    this.skeleton = new SkeletonDrawing(at, tokens);
    this.#cursor = new CursorDrawing(tokens);
    const { drawing } = at.document.character;
    this.handles = new PoseHandles(tokens, drawing !== undefined);
    this.#reach = new ReachDrawing(at, tokens);
    this.#selection = new SelectionDrawing(
      at,
      this.#parts.map(({ position }) => position),
      tokens,
    );
    this.#ghost = new GhostDrawing(at, tokens);
    this.#ground = new GroundDrawing(at, tokens);
    this.#marks = new MarkDrawing(at, tokens);
    this.#flat =
      drawing &&
      new FlatDrawing(drawing, this.#parts, at.scene, this.#clay, tokens, () => this.#dirty(true, true));
    this.#strip = new StripDrawing(at, this.#clay, this.#flat);
    this.#beside = new BesideDrawing(at, this.#clay, this.#flat);
    if (this.#flat) this.#scene.add(this.#flat.group);
    this.#scene.add(
      ...this.#parts.map(({ mesh }) => mesh),
      this.#smooth.group,
      this.skeleton.group,
      this.handles.group,
      this.#cursor.brush,
      this.#cursor.outline,
      this.#cursor.tether,
      this.#selection.group,
      this.#reach.group,
      this.#ghost.group,
      this.#ground.lines,
      this.#marks.points,
      this.#marks.joints,
    );
    this.#camera = new StageCamera(canvas, at, () => this.#lookedElsewhere(), held);
    this.sight = new StageSight(
      this.#parts,
      this.camera,
      () => this.#stageBox,
      drawing && (() => at.scene.layerOrder),
    );
    this.#listen();
  }

  #listen(): void {
    const { scene, document } = this.#at;
    const { pointListeners } = scene;
    const reweigh = (): void => {
      if (tintsOf(this.#view) === 'joints') scene.palette.refresh();
      for (const part of this.#parts) part.reweighted(tintsOf(this.#view));
      this.#smooth.moved();
      this.#flat?.reweighted(tintsOf(this.#view) !== 'none');
      this.#dirty(true, true);
    };
    const posed = (): void => {
      for (const part of this.#parts) part.posed();
      this.#smooth.moved();
      this.#flat?.posed();
      this.skeleton.posed();
      this.#camera.goAlong();
      this.#marks.update();
      this.#beside.update();
      this.#lookedElsewhere();
    };
    const touched = (part: { index: number }, points: Uint32Array, count: number): void => {
      this.#parts[part.index].touched(points, count);
      this.#smooth.moved(part.index);
      this.#flat?.touched(part.index, tintsOf(this.#view) !== 'none');
      this.#dirty(true, true);
    };
    pointListeners.add(touched);
    this.#unsubscribe.push(
      () => pointListeners.delete(touched),
      scene.events.subscribe('pose', posed),
      scene.events.subscribe('parts', () => {
        for (const part of this.#parts) part.piecesChanged();
        this.#smooth.piecesChanged();
        this.#selection.update();
        posed();
      }),
      scene.events.subscribe('selection', () => {
        this.#selection.update();
        this.#dirty(true, false);
      }),
      this.#at.reachTool.events.subscribe('changed', () => this.#dirty(true, true)),
      document.events.subscribe('joints', () => {
        this.skeleton.rebuild();
        if (tintsOf(this.#view) === 'joints') reweigh();
        this.#dirty(true, false);
      }),
      scene.events.subscribe('marks', () => this.#frameMarks()),
      scene.events.subscribe('beside', () => {
        this.#beside.update();
        this.#dirty(true, false);
      }),
      scene.events.subscribe('ghost', () => {
        this.#ghost.update();
        this.#dirty(true, false);
      }),
      document.events.subscribe('weights', reweigh),
      scene.events.subscribe('strays', reweigh),
      scene.events.subscribe('amounts', () => {
        for (const part of this.#parts) part.amounted(scene.amounts?.[part.part.index]);
        this.#smooth.moved();
        this.#flat?.reweighted(tintsOf(this.#view) !== 'none');
        this.#beside.update();
        this.#dirty(true, true);
      }),
      scene.events.subscribe('joint', () => {
        this.skeleton.chosen();
        this.#beside.update();
        reweigh();
      }),
    );
    posed();
    reweigh();
  }

  /** Where the camera looks, for a view that takes this one's place. */
  get cameraPlace(): CameraPlace {
    return this.#camera.place;
  }

  dispose(): void {
    cancelAnimationFrame(this.#frame);
    for (const end of this.#unsubscribe) end();
    for (const part of this.#parts) part.dispose();
    this.#smooth.dispose();
    this.#strip.dispose();
    this.skeleton.dispose();
    this.handles.dispose();
    this.#cursor.dispose();
    this.#selection.dispose();
    this.#reach.dispose();
    this.#ghost.dispose();
    this.#ground.dispose();
    this.#marks.dispose();
    this.#beside.dispose();
    this.#flat?.dispose();
    this.#clay.dispose();
    this.#edgeInk.dispose();
    this.#camera.dispose();
    this.#renderer.renderLists.dispose();
  }

  get camera(): PerspectiveCamera {
    return this.#camera.eye;
  }

  // ---- what is shown -------------------------------------------------------------------------------------------

  setView(view: WeightView): void {
    this.#view = view;
    setClayView(this.#clay, view);
    if (tintsOf(view) === 'joints') this.#at.scene.palette.refresh();
    for (const part of this.#parts) {
      part.setFigure(figureOf(view));
      part.amounted(this.#at.scene.amounts?.[part.part.index]);
      part.reweighted(tintsOf(view));
    }
    this.#smooth.moved();
    this.#flat?.setPointsShown(view !== 'plain');
    this.#flat?.reweighted(tintsOf(view) !== 'none');
    this.#beside.setFigure(figureOf(view));
    this.#dirty(true, true);
  }

  /** Handles of the chosen joint; none for undefined. Where joints are placed they take the scene's axes. */
  setHandles(mode: HandleMode | undefined, inScene: boolean): void {
    this.handles.group.visible = mode !== undefined && this.#at.scene.joint >= 0;
    if (mode) this.handles.mode = mode;
    this.#handlesInScene = inScene;
    this.#dirty(true, false);
  }

  /** Of a drawing: lines from a point to the joints that hold it; none for undefined. */
  showHolders(hit: (Hit & { readonly part: ScenePart }) | undefined): void {
    const holders = this.#flat?.holders;
    if (!holders) return;
    if (hit) holders.show(hit.part, hit.point, this.#at.scene.world);
    else holders.hide();
    this.#dirty(true, false);
  }

  /** Whether the handles of a drawing's outlines can be seen. */
  get showsHandles(): boolean {
    return this.#flat?.showsHandles ?? false;
  }

  setSkeletonShown(shown: boolean): void {
    this.skeleton.group.visible = shown;
    this.#dirty(true, false);
  }

  stripChanged(): void {
    this.#dirty(false, true);
  }

  stageChanged(): void {
    this.#dirty(true, false);
  }

  /** Called after each frame of the stage. @returns the function that ends it */
  onDrawn(listener: () => void): () => void {
    this.#drawnListeners.add(listener);
    return () => this.#drawnListeners.delete(listener);
  }

  /** Called after each frame in which something else may lie under a place. @returns the function that ends it */
  onLooked(listener: () => void): () => void {
    this.#lookedListeners.add(listener);
    return () => this.#lookedListeners.delete(listener);
  }

  #lookedElsewhere(): void {
    this.#looksAnew = true;
    this.#dirty(true, true);
  }

  /** The ground under a motion, and whether the camera goes along with it. */
  setMotion(groundShown: boolean, goesAlong: boolean): void {
    this.#ground.lines.visible = groundShown;
    this.#camera.setGoesAlong(goesAlong);
    this.#dirty(true, false);
  }

  /** The surface subdivided for the eye, so many times. */
  setSmooth(levels: SmoothLevels): void {
    if (this.#flat) return;
    this.#smooth.setLevels(levels).catch(this.#at.document.notifyError);
  }

  /** What stands beside the stage. */
  setBeside(beside: Beside): void {
    this.#beside.setMode(beside);
    this.#dirty(true, false);
  }

  /** Sizes in CSS pixels: the canvas, the stage in it, what stands beside it, and the strip's cells. */
  layOut(width: number, height: number, stage: Box, cells: readonly Box[], beside?: Box): void {
    this.#besideBox = beside;
    this.#renderer.setPixelRatio(Math.min(2, devicePixelRatio));
    this.#renderer.setSize(width, height);
    this.#stageBox = stage;
    this.#cells = cells;
    this.#renderer.setScissorTest(false);
    this.#renderer.clear();
    this.#camera.fit(stage.width, stage.height);
    this.#lookedElsewhere();
  }

  frameAll(): void {
    this.#camera.frameAll();
  }

  frameJoint(): void {
    this.#camera.frameJoint();
  }

  frameSelection(): void {
    this.#camera.frameSelection();
  }

  look(from: Look): void {
    this.#camera.look(from);
  }

  setStraight(isStraight: boolean): void {
    this.#camera.setStraight(isStraight);
  }

  /** Draws what is pointed out, and looks at it from where the camera is. */
  #frameMarks(): void {
    const marked = this.#marks.update();
    if (marked && !this.#at.scene.marks.keepsCamera)
      this.#camera.frame(marked.centre, marked.radius * 2, 0.12);
    this.#dirty(true, false);
  }

  // ---- pointer -------------------------------------------------------------------------------------------------

  /** Where an event lies on the canvas. */
  spotOf({ clientX, clientY }: { clientX: number; clientY: number }): Spot {
    const { left, top } = this.canvas.getBoundingClientRect();
    return { x: clientX - left, y: clientY - top };
  }

  /** The edge of the chosen joint's reach under a place. */
  reachEdgeAt(at: Spot): ReachEdge | undefined {
    return this.#reach.pick(at, this.camera, this.#stageBox.width, this.#stageBox.height);
  }

  /** How far from the chosen joint's bones a place lies, in scene units. */
  reachRadiusAt(at: Spot): number {
    return this.#reach.radiusAt(at, this.camera, this.#stageBox.width, this.#stageBox.height);
  }

  /** Edges over the surface, and the surface seen through. */
  setSurface(edges: boolean, seeThrough: boolean): void {
    setClayGhost(this.#clay, seeThrough);
    for (const part of this.#parts) part.setEdges(edges || part.isCage ? this.#edgeInk : undefined);
    this.#dirty(true, true);
  }

  /** A closed line over the stage, in pixels; none for undefined. */
  showOutline(line: Float32Array | undefined): void {
    this.#cursor.showOutline(line, this.camera, this.#stageBox.width, this.#stageBox.height);
    this.#dirty(true, false);
  }

  get stageSize(): { width: number; height: number } {
    return this.#stageBox;
  }

  /** The brush on the surface; nothing where there is no hit. */
  showBrush(hit: Hit | undefined, radius: number): void {
    this.#cursor.showBrush(hit, radius);
    this.#dirty(true, false);
  }

  /** Shows where the surface under a held brush has gone; nothing for undefined. */
  showTether(tether: Tether | undefined): void {
    this.#cursor.showTether(tether);
    this.#dirty(true, false);
  }

  /** Shows where a joint would be added. */
  showNewJoint(place: readonly [number, number, number] | undefined): void {
    this.skeleton.showNew(place);
    this.#dirty(true, false);
  }

  // ---- drawing -------------------------------------------------------------------------------------------------

  #dirty(stage: boolean, strip: boolean): void {
    this.#stageDirty ||= stage;
    this.#stripDirty ||= strip;
    this.#frame ||= requestAnimationFrame(() => this.#draw());
  }

  #draw(): void {
    this.#frame = 0;
    const renderer = this.#renderer;
    renderer.setScissorTest(true);
    if (this.#stageDirty) {
      if (this.#view === 'strain') {
        updateStrain(this.#at);
        for (const part of this.#parts) part.strained();
        this.#smooth.moved();
        this.#flat?.strained();
      }
      this.#smooth.update();
      const {
        scene: { joint, world },
      } = this.#at;
      if (joint >= 0) {
        const frame = world.subarray(joint * 16, joint * 16 + 16);
        const at = new Vector3(frame[12], frame[13], frame[14]);
        this.handles.place(at, this.#handlesInScene ? undefined : frame, this.camera, this.#stageBox.height);
        this.#tellHandles(at.clone().project(this.camera));
      }
      this.#reach.update(this.camera);
      if (this.#ground.lines.visible) this.#ground.lieAbout(this.#camera.controls.target);
      this.#selection.aim(this.#stageBox.width, this.#stageBox.height);
      this.#flat?.aim(this.#stageBox.height / (2 * this.#camera.radius));
      this.#drawBox(this.#stageBox, this.#scene, this.camera);
      if (this.#besideBox && this.#beside.mode !== 'none') {
        const { scene, camera } = this.#beside.look(this.#scene, this.camera);
        this.#drawBox(this.#besideBox, scene, camera);
      }
    }
    if (this.#stripDirty && this.#cells.length > 0) {
      this.#strip.update(tintsOf(this.#view), figureOf(this.#view));
      this.#cells.forEach((box, i) => {
        if (i >= this.#strip.scenes.length) return;
        this.#strip.aim(this.camera, box.width / box.height);
        this.#drawBox(box, this.#strip.scenes[i], this.#strip.camera);
      });
    }
    this.#stageDirty = false;
    this.#stripDirty = false;
    this.framesDrawn++;
    this.canvas.dataset.frames = String(this.framesDrawn);
    for (const listener of this.#drawnListeners) listener();
    if (!this.#looksAnew) return;
    this.#looksAnew = false;
    for (const listener of this.#lookedListeners) listener();
  }

  /** The stage as it is, small, as the data address of a PNG. */
  picture(): string {
    const small = document.createElement('canvas');
    [small.width, small.height] = [PICTURE_PX.width, PICTURE_PX.height];
    const ratio = this.#renderer.getPixelRatio();
    const { width, height } = this.#stageBox;
    // The middle of the stage, in the picture's proportions.
    const take = Math.min(width, (height * PICTURE_PX.width) / PICTURE_PX.height);
    const tall = (take * PICTURE_PX.height) / PICTURE_PX.width;
    const [x, y] = [(width - take) / 2, (height - tall) / 2];
    small
      .getContext('2d')
      ?.drawImage(
        this.canvas,
        x * ratio,
        y * ratio,
        take * ratio,
        tall * ratio,
        0,
        0,
        small.width,
        small.height,
      );
    return small.toDataURL('image/png');
  }

  /** Says where on the stage the handles stand, in pixels. */
  #tellHandles({ x, y }: Vector3): void {
    const { width, height } = this.#stageBox;
    this.canvas.dataset.handles = `${Math.round(((x + 1) * width) / 2)},${Math.round(((1 - y) * height) / 2)}`;
  }

  #drawBox(box: Box, scene: Scene | undefined, camera: PerspectiveCamera | StripDrawing['camera']): void {
    const renderer = this.#renderer;
    const bottom = renderer.getSize(new Vector2()).y - box.top - box.height;
    renderer.setViewport(box.left, bottom, box.width, box.height);
    renderer.setScissor(box.left, bottom, box.width, box.height);
    renderer.clear();
    if (scene) renderer.render(scene, camera);
  }
}
