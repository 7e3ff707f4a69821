/** How much the surface in a picture is strained: see core's strainEdges. */
export interface StripFigures {
  readonly stretch: number;
  readonly squeeze: number;
  /** Strain squared over the surface, in lengths of the picture squared. */
  readonly damage: number;
}

/** Strains beyond this count no more toward damage. */
const MAX_STRAIN = 3;

/**
 * @param surfaces strains of edges and their lengths at rest
 * @param reach half the height of the picture, in scene units
 */
export function stripFigures(
  surfaces: readonly { readonly strains: Float32Array; readonly lengths: Float32Array }[],
  reach: number,
): StripFigures {
  let [stretch, squeeze, damage] = [0, 0, 0];
  for (const { strains, lengths } of surfaces)
    for (let e = 0; e < strains.length; e++) {
      const strain = strains[e];
      if (strain > stretch) stretch = strain;
      else if (strain < squeeze) squeeze = strain;
      const size = Math.min(MAX_STRAIN, Math.abs(strain));
      damage += size * size * lengths[e] * lengths[e];
    }
  return { stretch, squeeze, damage: damage / (reach * reach) };
}
