import type { PointMask } from '@judoka/core/mesh';
import {
  BufferAttribute,
  BufferGeometry,
  DynamicDrawUsage,
  LineSegments,
  Mesh,
  MeshBasicMaterial,
  Sphere,
  type ShaderMaterial,
} from 'three';
import { isAmounts, type WeightView } from '../../settings/uiSettings.ts';
import type { ScenePart } from '../ScenePart.ts';
import type { EdgeInk } from './EdgeInk.ts';
import { tintCount, tintPoint } from './jointColours.ts';
import { markChanged, markWhole, PartPicker } from '../picking/Picker.ts';

/** What a point's own colour says: its joints', the number of its influences, or nothing. */
export type Tints = 'none' | 'joints' | 'count';

export const tintsOf = (view: WeightView): Tints => (view === 'joints' || view === 'count' ? view : 'none');

/** What a view draws a number a point of: the chosen joint's weight, strain, or the scene's amounts. */
export type Figure = 'weight' | 'strain' | 'amounts';

export const figureOf = (view: WeightView): Figure =>
  view === 'strain' ? 'strain' : isAmounts(view) ? 'amounts' : 'weight';

export function isStray(part: ScenePart, point: number): boolean {
  return part.strays[point] === 1 && part.jointWeights[point] > 0;
}

/** An attribute that is written often. */
export function dynamic(array: Float32Array | Uint8Array, size: number, normalized = false): BufferAttribute {
  const attribute = new BufferAttribute(array, size, normalized);
  attribute.setUsage(DynamicDrawUsage);
  return attribute;
}

/** Each edge of a part's polygons once: Uint32Array, two points an edge. */
function edgesOf({ paint }: ScenePart): Uint32Array {
  const { offsets, points } = paint.neighbours;
  const edges: number[] = [];
  for (let p = 0; p + 1 < offsets.length; p++)
    for (let e = offsets[p]; e < offsets[p + 1]; e++) if (points[e] > p) edges.push(p, points[e]);
  return Uint32Array.from(edges);
}

function withoutHidden(triangles: Uint32Array, hidden: PointMask): Uint32Array {
  const kept = new Uint32Array(triangles.length);
  let count = 0;
  for (let t = 0; t < triangles.length; t += 3) {
    if (hidden[triangles[t]] || hidden[triangles[t + 1]] || hidden[triangles[t + 2]]) continue;
    kept.set(triangles.subarray(t, t + 3), count);
    count += 3;
  }
  return kept.slice(0, count);
}

/** Numbers of a part's points: what the smooth surface is drawn from. */
export interface CageFigures {
  readonly positions: Float32Array;
  readonly normals: Float32Array;
  readonly weight: Float32Array;
  /** 0..255. */
  readonly stray: Uint8Array;
  /** 0..255, three a point; undefined while tints are not looked at. */
  readonly tint: Uint8Array | undefined;
}

/** Draws nothing, and hides nothing. */
const UNSEEN = new MeshBasicMaterial({ colorWrite: false, depthWrite: false });

/** One part on the stage: its attributes lie over the at's own arrays. */
export class PartDrawing {
  readonly part: ScenePart;
  readonly mesh: Mesh;
  readonly picker: PartPicker;
  /** Over the posed places; others may draw with it. */
  readonly position: BufferAttribute;
  readonly #colours: Float32Array;
  readonly #normal: BufferAttribute;
  readonly #weight: BufferAttribute;
  readonly #strain: BufferAttribute;
  /** Made when they are first looked at. */
  #amounts: BufferAttribute | undefined;
  readonly #stray: BufferAttribute;
  readonly #tint: BufferAttribute;
  /** Tints are only kept up while they are looked at. */
  #tints: Tints = 'none';
  #hidden: PointMask | undefined;
  #edges: LineSegments | undefined;

  /** @param colours by joint, for tints */
  constructor(part: ScenePart, material: ShaderMaterial, colours: Float32Array) {
    this.part = part;
    this.#colours = colours;
    const { pointCount, triangles } = part.part;
    this.position = dynamic(part.skin.positions, 3);
    this.#normal = dynamic(part.skin.normals, 3);
    this.#weight = dynamic(part.jointWeights, 1);
    this.#strain = dynamic(part.strain.points, 1);
    this.#stray = dynamic(new Uint8Array(pointCount), 1, true);
    this.#tint = dynamic(new Uint8Array(pointCount * 3), 3, true);
    const geometry = new BufferGeometry();
    geometry.setIndex(new BufferAttribute(triangles, 1));
    geometry.setAttribute('position', this.position);
    geometry.setAttribute('normal', this.#normal);
    geometry.setAttribute('weight', this.#weight);
    geometry.setAttribute('stray', this.#stray);
    geometry.setAttribute('tint', this.#tint);
    // Posed surfaces move out of any fixed sphere; the few parts are always drawn.
    geometry.boundingSphere = new Sphere(undefined, Infinity);
    // Of a cage only the edges are drawn: what it holds is seen within.
    this.mesh = new Mesh(geometry, this.isCage ? UNSEEN : material);
    this.mesh.frustumCulled = false;
    this.picker = new PartPicker(part, geometry);
    this.piecesChanged();
  }

  /** Pieces were shown or hidden: only triangles without hidden points are drawn. */
  piecesChanged(): void {
    const { hidden, part } = this.part;
    if (hidden === this.#hidden) return;
    this.#hidden = hidden;
    const { triangles } = part;
    this.mesh.geometry.setIndex(
      new BufferAttribute(hidden ? withoutHidden(triangles, hidden) : triangles, 1),
    );
  }

  /** Edges of polygons, without the diagonals of quads; made when they are first wanted. */
  setEdges(ink: EdgeInk | undefined): void {
    if (ink && !this.#edges) {
      const geometry = new BufferGeometry().setAttribute('position', this.position);
      geometry.setAttribute('weight', this.mesh.geometry.getAttribute('weight'));
      geometry.setAttribute('tint', this.#tint);
      geometry.setIndex(new BufferAttribute(edgesOf(this.part), 1));
      this.#edges = new LineSegments(geometry, this.isCage ? ink.cageMaterial : ink.material);
      this.#edges.frustumCulled = false;
      this.#edges.renderOrder = 4;
      this.mesh.add(this.#edges);
    }
    if (this.#edges) this.#edges.visible = ink !== undefined;
  }

  get isCage(): boolean {
    return this.part.part.role === 'cage';
  }

  setFigure(figure: Figure): void {
    if (figure === 'amounts') this.#amounts ??= dynamic(new Float32Array(this.part.part.pointCount), 1);
    const drawn =
      { weight: this.#weight, strain: this.#strain, amounts: this.#amounts }[figure] ?? this.#weight;
    this.mesh.geometry.setAttribute('weight', drawn);
    this.#edges?.geometry.setAttribute('weight', drawn);
  }

  /** Amounts are known anew; none for undefined. */
  amounted(amounts: Float32Array | undefined): void {
    if (!this.#amounts) return;
    const held = this.#amounts.array as Float32Array;
    if (amounts) held.set(amounts);
    else held.fill(0);
    markWhole(this.#amounts);
  }

  /** The strains were measured anew. */
  strained(): void {
    markWhole(this.#strain);
  }

  /** What is drawn of its points. */
  get cage(): CageFigures {
    const { positions, normals } = this.part.skin;
    return {
      positions,
      normals,
      weight: this.mesh.geometry.getAttribute('weight').array as Float32Array,
      stray: this.#stray.array as Uint8Array,
      tint: this.#tints === 'none' ? undefined : (this.#tint.array as Uint8Array),
    };
  }

  posed(): void {
    this.mesh.visible = this.part.visible;
    markWhole(this.position);
    markWhole(this.#normal);
    this.picker.moved();
  }

  /** All weights may have changed: another joint, or an operation. */
  reweighted(tints: Tints): void {
    const stray = this.#stray.array as Uint8Array;
    for (let p = 0; p < stray.length; p++) stray[p] = isStray(this.part, p) ? 255 : 0;
    markWhole(this.#weight);
    markWhole(this.#stray);
    this.#tints = tints;
    if (tints === 'none') return;
    for (let p = 0; p < stray.length; p++) this.#tintPoint(p);
    markWhole(this.#tint);
  }

  #tintPoint(p: number): void {
    const tint = this.#tint.array as Uint8Array;
    const { rows } = this.part.skin;
    if (this.#tints === 'count') tintCount(rows, p, tint, p);
    else tintPoint(rows, p, this.#colours, tint, p);
  }

  touched(points: Uint32Array, count: number): void {
    const stray = this.#stray.array as Uint8Array;
    for (let i = 0; i < count; i++) {
      stray[points[i]] = isStray(this.part, points[i]) ? 255 : 0;
      if (this.#tints !== 'none') this.#tintPoint(points[i]);
    }
    for (const attribute of [this.position, this.#normal, this.#weight, this.#stray])
      markChanged(attribute, points, count);
    if (this.#tints !== 'none') markChanged(this.#tint, points, count);
    this.picker.touched(points, count);
  }

  dispose(): void {
    this.#edges?.geometry.dispose();
    this.mesh.geometry.dispose();
  }
}
