import { fillEdges, fillNeighbours, strainEdges, strainPoints } from '@judoka/core/analysis/bends';
import { usualMesh, type Drawing, type LayerMesh, type LayerPart } from '@judoka/core/drawing';

/** How strained the edges of a fill are, and how long they are at rest. */
interface StrainedEdges {
  readonly strains: Float32Array;
  readonly lengths: Float32Array;
}

/** What a layer of a drawing is filled with, and how much that is strained: what is seen, whatever its points are. */
export class LayerFill {
  readonly mesh: LayerMesh;
  readonly #rest: Float32Array;
  /** Laid out once somebody looks at strain. */
  #measured: (StrainedEdges & { readonly edges: Uint32Array }) | undefined;

  constructor(drawing: Drawing, layer: number, part: LayerPart) {
    this.mesh = usualMesh(drawing, layer, part);
    this.#rest = part.positions;
  }

  /**
   * How much each place of the fill is strained: into `out`, a number a place.
   * @param places Float32Array, 3 a place
   */
  strain(places: Float32Array, out: Float32Array): StrainedEdges {
    const measured = (this.#measured ??= this.#layOut());
    const { edges, lengths, strains } = measured;
    strainEdges(edges, lengths, places, strains);
    out.fill(0);
    strainPoints(edges, strains, out);
    return measured;
  }

  #layOut(): StrainedEdges & { readonly edges: Uint32Array } {
    const rest = new Float32Array(this.mesh.count * 3);
    this.mesh.place(this.#rest, rest);
    const { edges, lengths } = fillEdges(fillNeighbours(this.mesh), rest);
    return { edges, lengths, strains: new Float32Array(lengths.length) };
  }
}
