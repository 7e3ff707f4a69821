import { anchorsOfPoints, pointsTakenOut, type Layer, type LayerMesh } from '@judoka/core/drawing';
import {
  BufferAttribute,
  BufferGeometry,
  Group,
  LineSegments,
  Mesh,
  Points,
  Sphere,
  type Material,
} from 'three';
import { dynamic } from '../drawings/PartDrawing.ts';
import type { ScenePart } from '../ScenePart.ts';
import type { LayerFill } from './LayerFill.ts';
import type { PictureMaterials } from './PictureMaterials.ts';

/** How layers, their outlines and their points lie over one another. */
const FIRST_LAYER = -2000;
const POINTS_OVER = -10;

/** What a layer is drawn after, by how many lie behind it. */
export const orderOfRank = (rank: number): number => FIRST_LAYER + rank;

export interface LayerMaterials {
  readonly fill: Material;
  /** Of layers that are hidden and still seen. */
  readonly ghost: Material;
  readonly pictures: PictureMaterials;
  readonly anchors: Material;
  readonly handles: Material;
  readonly lines: Material;
}

/** One layer of a flat character on the stage: what it is filled with, and its anchors and handles. */
export class LayerDrawing {
  readonly group = new Group();
  readonly mesh: LayerMesh;
  readonly #part: ScenePart;
  readonly #layerFill: LayerFill;
  readonly #materials: LayerMaterials;
  readonly #fill: Mesh;
  readonly geometry = new BufferGeometry();
  readonly #position: BufferAttribute;
  readonly #weight: BufferAttribute;
  readonly #tint: BufferAttribute;
  /** Where the points were when the mesh was last laid: most layers stay in most poses. */
  readonly #laid: Float32Array;
  readonly #channel: Float32Array;
  readonly #spread: Float32Array;
  readonly #points: readonly { visible: boolean }[];

  /** @param points the part's own attributes: where its points are, and what is drawn of each */
  constructor(
    part: ScenePart,
    layer: Layer,
    fill: LayerFill,
    materials: LayerMaterials,
    points: BufferGeometry,
  ) {
    this.#part = part;
    this.#materials = materials;
    this.mesh = fill.mesh;
    this.#layerFill = fill;
    const { count, triangles, colours } = this.mesh;
    this.#position = dynamic(new Float32Array(count * 3), 3);
    this.#weight = dynamic(new Float32Array(count), 1);
    this.#tint = dynamic(new Uint8Array(count * 3), 3, true);
    this.#laid = new Float32Array(part.part.pointCount * 3).fill(Number.NaN);
    this.#channel = new Float32Array(part.part.pointCount);
    this.#spread = new Float32Array(count);
    this.geometry.setIndex(new BufferAttribute(triangles, 1));
    this.geometry.setAttribute('position', this.#position);
    this.geometry.setAttribute('weight', this.#weight);
    this.geometry.setAttribute('tint', this.#tint);
    this.geometry.setAttribute('own', new BufferAttribute(colours, 4, true));
    this.geometry.boundingSphere = new Sphere(undefined, Infinity);
    if (this.#hasPictures) {
      this.geometry.setAttribute('uv', new BufferAttribute(this.mesh.uvs, 2));
      for (const { firstTriangle, triangleCount, paint } of this.mesh.pieces)
        this.geometry.addGroup(
          firstTriangle * 3,
          triangleCount * 3,
          paint.picture ? 1 + paint.picture.index : 0,
        );
    }
    this.#fill = new Mesh(this.geometry, this.material(false));
    this.#fill.frustumCulled = false;
    this.#points = this.#outlinePoints(layer, points, materials);
    this.group.add(this.#fill);
  }

  #outlinePoints(layer: Layer, points: BufferGeometry, materials: LayerMaterials): { visible: boolean }[] {
    const { vertexPoint, pointCount } = this.#part.part;
    const [anchors, handles, lines]: number[][] = [[], [], []];
    const isOut = pointsTakenOut(vertexPoint, pointCount);
    anchorsOfPoints(layer, vertexPoint, pointCount).forEach((anchor, p) => {
      if (isOut?.[p]) return;
      if (anchor === p) anchors.push(p);
      else {
        handles.push(p);
        lines.push(p, anchor);
      }
    });
    const over = (index: readonly number[]): BufferGeometry => {
      const geometry = new BufferGeometry();
      for (const name of ['position', 'weight']) geometry.setAttribute(name, points.getAttribute(name));
      geometry.setIndex(new BufferAttribute(Uint32Array.from(index), 1));
      return geometry;
    };
    const drawn = [
      new LineSegments(over(lines), materials.lines),
      new Points(over(handles), materials.handles),
      new Points(over(anchors), materials.anchors),
    ];
    drawn.forEach((each, k) => {
      each.frustumCulled = false;
      each.renderOrder = POINTS_OVER + k;
    });
    this.group.add(...drawn);
    return drawn;
  }

  get index(): number {
    return this.#part.index;
  }

  get #hasPictures(): boolean {
    return this.mesh.pieces.some(({ paint }) => paint.picture);
  }

  /** What the layer is drawn with: of one with pictures by the geometry's groups. */
  material(isGhost: boolean): Material | Material[] {
    const plain = isGhost ? this.#materials.ghost : this.#materials.fill;
    return this.#hasPictures ? [plain, ...this.#materials.pictures.list(isGhost)] : plain;
  }

  /** How many layers lie behind it. */
  setRank(rank: number): void {
    this.#fill.renderOrder = orderOfRank(rank);
  }

  /** Anchors, and handles with their lines. */
  setPointsShown(anchors: boolean, handles: boolean): void {
    const [lines, knobs, dots] = this.#points;
    dots.visible = anchors && this.#part.visible;
    lines.visible = knobs.visible = handles && this.#part.visible;
  }

  /** @param isGhost whether it is seen faintly while it is hidden */
  posed(isGhost: boolean): void {
    const { visible } = this.#part;
    this.group.visible = visible || isGhost;
    for (const points of this.group.children) points.visible = visible;
    this.#fill.visible = true;
    this.#fill.material = this.material(!visible);
    if (!this.group.visible) return;
    const { positions } = this.#part.skin;
    if (sameNumbers(positions, this.#laid)) return;
    this.#laid.set(positions);
    this.mesh.place(positions, this.#position.array as Float32Array);
    this.#position.needsUpdate = true;
  }

  /** @param values one a point: what the view tells; @param tints 3 bytes a point, where the view goes by them */
  reweighted(values: Float32Array, tints: Uint8Array | undefined): void {
    this.mesh.spread(values, this.#weight.array as Float32Array);
    this.#weight.needsUpdate = true;
    if (!tints) return;
    const out = this.#tint.array as Uint8Array;
    for (let c = 0; c < 3; c++) {
      for (let p = 0; p < this.#channel.length; p++) this.#channel[p] = tints[p * 3 + c];
      this.mesh.spread(this.#channel, this.#spread);
      for (let k = 0; k < this.#spread.length; k++) out[k * 3 + c] = this.#spread[k];
    }
    this.#tint.needsUpdate = true;
  }

  /** How much each place of the fill is strained while the places are there. */
  strainOf(places: Float32Array, out: Float32Array): void {
    this.#layerFill.strain(places, out);
  }

  /** The view tells how much what is seen is strained. */
  strained(): void {
    if (!this.#part.visible) return;
    this.#layerFill.strain(this.#position.array as Float32Array, this.#weight.array as Float32Array);
    this.#weight.needsUpdate = true;
  }

  dispose(): void {
    this.geometry.dispose();
    this.group.traverse((each) => {
      if (each instanceof Points || each instanceof LineSegments) (each.geometry as BufferGeometry).dispose();
    });
  }
}

function sameNumbers(a: Float32Array, b: Float32Array): boolean {
  for (let k = 0; k < a.length; k++) if (a[k] !== b[k]) return false;
  return true;
}
