import { edgeLengths, measuredEdges, strainEdges, strainPoints } from '@judoka/core/analysis/bends';
import { LayerMesh, type Layer, type LayerPart, type PageScale } from '@judoka/core/drawing';
import { findNeighbours, listEdges } from '@judoka/core/mesh';

/** Sides of triangles are at least this share of the page's height. */
const SMALLEST = 1 / 150;

/** What a layer of a drawing is filled with, and how much that is strained: what is seen, whatever its points are. */
export class LayerFill {
  readonly mesh: LayerMesh;
  readonly #rest: Float32Array;
  #edges: Uint32Array | undefined;
  #lengths: Float32Array = new Float32Array(0);
  #strains = new Float32Array(0);

  constructor(layer: Layer, part: LayerPart, page: PageScale) {
    this.mesh = new LayerMesh(layer, part, page, page.page[3] * page.scale * SMALLEST);
    this.#rest = part.positions;
  }

  /**
   * How much each place of the fill is strained: into `out`, a number a place.
   * @param places Float32Array, 3 a place
   * @returns strains and rest lengths of the edges
   */
  strain(places: Float32Array, out: Float32Array): { strains: Float32Array; lengths: Float32Array } {
    const edges = (this.#edges ??= this.#layEdges());
    strainEdges(edges, this.#lengths, places, this.#strains);
    out.fill(0);
    strainPoints(edges, this.#strains, out);
    return { strains: this.#strains, lengths: this.#lengths };
  }

  #layEdges(): Uint32Array {
    const { triangles, count } = this.mesh;
    const offsets = Uint32Array.from({ length: triangles.length / 3 + 1 }, (_, t) => t * 3);
    const rest = new Float32Array(count * 3);
    this.mesh.place(this.#rest, rest);
    const edges = measuredEdges(listEdges(findNeighbours({ offsets, points: triangles }, count)), rest);
    this.#lengths = edgeLengths(edges, rest);
    this.#strains = new Float32Array(this.#lengths.length);
    return edges;
  }
}
