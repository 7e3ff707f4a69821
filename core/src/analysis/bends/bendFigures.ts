import type { BendMesh, BendRegion, NoVolume } from './bendRegion.ts';

/** How one joint's bend looks in one pose. Strains as in strain.ts: 1 is double, −1 half. */
export interface BendFigures {
  /** The greatest stretch and the greatest squeeze (0 or below) of an edge. */
  readonly stretch: number;
  readonly squeeze: number;
  /** Least and greatest area of a face, in its rest areas, without its side. */
  readonly areaLeast: number;
  readonly areaMost: number;
  /** Faces that look the wrong way. */
  readonly folded: number;
  /** Volume gained, as a share of the region's at rest; negative where lost; undefined where it has none. */
  readonly volume: number | undefined;
  readonly noVolume: NoVolume | undefined;
  /** Edges that run through the same part's surface, and do not at rest. */
  readonly crossings: number;
  /** How bad all of it is: strain squared over the surface, in percent of the character's size squared. */
  readonly damage: number;
  /** Where most of the damage is. */
  readonly worst: BendPlace | undefined;
  /** Where the most stretched edge is. */
  readonly stretched: BendPlace | undefined;
}

export interface BendPlace {
  readonly part: number;
  readonly point: number;
}

/** Edges shorter than this share of the character are seen by nobody, however they stretch. */
const MIN_EDGE = 1e-4;
/** A strain beyond this counts no more toward damage. */
const MAX_STRAIN = 3;
/** A folded face counts as its area squeezed and stretched by this. */
const FOLD_STRAIN = 2;

/** What an edge and a folded face have to a bend's damage, as squared lengths. @param area twice the face's own, with a sign */
export function edgeDamage(strain: number, length: number): number {
  const size = Math.min(MAX_STRAIN, Math.abs(strain));
  return size * size * length * length;
}
export const foldDamage = (area: number): number => (Math.abs(area) / 2) * FOLD_STRAIN * FOLD_STRAIN;

export class FigureSum {
  crossings = 0;
  #stretch = 0;
  #squeeze = 0;
  #least = 1;
  #most = 1;
  #folded = 0;
  #damage = 0;
  #worst: BendFigures['worst'];
  #stretched: BendFigures['stretched'];
  readonly #minLength: number;
  readonly #size: number;
  #worstEdge = 0;
  #rest = 0;
  #now = 0;
  #noVolume: NoVolume | undefined;
  #closed = false;

  /** @param size of the character */
  constructor(size: number) {
    this.#size = size;
    this.#minLength = MIN_EDGE * size;
  }

  addEdges({ part, edges }: BendRegion, mesh: BendMesh, strains: Float32Array): void {
    for (let i = 0; i < edges.length; i++) {
      const strain = strains[i];
      const length = mesh.lengths[edges[i]];
      if (strain > this.#stretch && length >= this.#minLength) {
        this.#stretch = strain;
        this.#stretched = { part, point: mesh.edges[edges[i] * 2] };
      }
      if (strain < this.#squeeze) this.#squeeze = strain;
      const damage = edgeDamage(strain, length);
      this.#damage += damage;
      if (damage <= this.#worstEdge) continue;
      this.#worstEdge = damage;
      this.#worst = { part, point: mesh.edges[edges[i] * 2] };
    }
  }

  addFaces(areas: Float32Array, ratios: Float32Array): void {
    for (let i = 0; i < areas.length; i++) {
      const ratio = Math.abs(ratios[i]);
      if (ratio < this.#least) this.#least = ratio;
      if (ratio > this.#most) this.#most = ratio;
      if (ratios[i] >= 0) continue;
      this.#folded++;
      this.#damage += foldDamage(areas[i]);
    }
  }

  addVolume({ restVolume, noVolume }: BendRegion, now: number): void {
    if (noVolume) {
      this.#noVolume ??= noVolume;
      return;
    }
    this.#closed = true;
    this.#rest += restVolume;
    this.#now += now;
  }

  finish(): BendFigures {
    const volume = this.#closed && this.#rest !== 0 ? this.#now / this.#rest - 1 : undefined;
    return {
      stretch: this.#stretch,
      squeeze: this.#squeeze,
      areaLeast: this.#least,
      areaMost: this.#most,
      folded: this.#folded,
      volume,
      noVolume: volume === undefined ? (this.#noVolume ?? 'flat') : undefined,
      crossings: this.crossings,
      damage: (100 * this.#damage) / (this.#size * this.#size),
      worst: this.#worst,
      stretched: this.#stretched,
    };
  }
}
