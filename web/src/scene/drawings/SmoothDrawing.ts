import * as Comlink from 'comlink';
import { Group, Mesh, type ShaderMaterial } from 'three';
import type { Smoother } from '../smooth.worker.ts';
import type { PartDrawing } from './PartDrawing.ts';
import { SmoothSurface } from './SmoothSurface.ts';

/** How often the surface is subdivided for the eye. */
export type SmoothLevels = 0 | 1 | 2;

/** Beyond so many points of one part, it is subdivided less often. */
const MAX_POINTS = 1_500_000;
/** What the camera does not look at. */
const UNSEEN = 1;

/** The parts as they would look subdivided: drawn in their places, while picking and painting go on by their points. */
export class SmoothDrawing {
  readonly group = new Group();
  readonly #parts: readonly PartDrawing[];
  readonly #material: ShaderMaterial;
  readonly #changed: () => void;
  readonly #surfaces = new Map<PartDrawing, { readonly surface: SmoothSurface; readonly mesh: Mesh }>();
  readonly #stale = new Set<PartDrawing>();
  #worker: Worker | undefined;
  #levels: SmoothLevels = 0;

  /** @param changed there is something else to draw */
  constructor(parts: readonly PartDrawing[], material: ShaderMaterial, changed: () => void) {
    this.#parts = parts;
    this.#material = material;
    this.#changed = changed;
  }

  /** @throws Error if it cannot be computed */
  async setLevels(levels: SmoothLevels): Promise<void> {
    if (levels === this.#levels) return;
    this.#levels = levels;
    this.#clear();
    this.#changed();
    if (levels === 0) return;
    this.#worker = new Worker(new URL('../smooth.worker.ts', import.meta.url), { type: 'module' });
    const worker = this.#worker;
    const smoother = Comlink.wrap<Smoother>(worker);
    for (const drawing of this.#parts) {
      if (drawing.part.part.role === 'cage') continue;
      const { polygonOffsets: offsets, polygonPoints: points, pointCount, hardEdges } = drawing.part.part;
      const own = levelsWithin(points.length, levels);
      if (offsets.length < 2) continue;
      const steps = await smoother.subdivide({ offsets, points }, pointCount, own, hardEdges);
      // Another number is wanted by now.
      if (worker !== this.#worker) return;
      this.#add(drawing, new SmoothSurface(steps));
    }
    worker.terminate();
    this.#worker = undefined;
  }

  #add(drawing: PartDrawing, surface: SmoothSurface): void {
    const mesh = new Mesh(surface.geometry, this.#material);
    mesh.frustumCulled = false;
    this.group.add(mesh);
    this.#surfaces.set(drawing, { surface, mesh });
    drawing.mesh.layers.set(UNSEEN);
    this.piecesChanged();
    this.#stale.add(drawing);
    this.#changed();
  }

  /** A part's points are elsewhere, or weigh otherwise; all parts without one. */
  moved(index?: number): void {
    for (const drawing of this.#surfaces.keys())
      if (index === undefined || drawing.part.index === index) this.#stale.add(drawing);
  }

  /** Pieces were shown or hidden. */
  piecesChanged(): void {
    for (const [{ part }, { surface }] of this.#surfaces)
      surface.setHidden(part.hidden, part.part.polygonOffsets, part.part.polygonPoints);
  }

  /** Before it is drawn. */
  update(): void {
    for (const [drawing, { surface, mesh }] of this.#surfaces) {
      mesh.visible = drawing.part.visible;
      if (!mesh.visible || !this.#stale.delete(drawing)) continue;
      surface.update(drawing.cage);
    }
  }

  #clear(): void {
    this.#worker?.terminate();
    this.#worker = undefined;
    for (const [drawing, { surface, mesh }] of this.#surfaces) {
      drawing.mesh.layers.set(0);
      this.group.remove(mesh);
      surface.dispose();
    }
    this.#surfaces.clear();
    this.#stale.clear();
  }

  dispose(): void {
    this.#clear();
    this.#levels = 0;
  }
}

/** Each step has four quads for every corner of the one before it. */
function levelsWithin(corners: number, wanted: number): number {
  let levels = wanted;
  while (levels > 1 && corners * 4 ** (levels - 1) > MAX_POINTS) levels--;
  return levels;
}
