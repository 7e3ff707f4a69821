export { skinList, skinRange, skinSlots, type SkinArrays, laySkin } from './skin.ts';
export { createDualPalette, fillDualPalette, skinDualRange, type DualPalette } from './skinDual.ts';
export { skinKernels, type SkinKernels } from './skinKernels.ts';
export { deformerOf, SKINNINGS, type Deformer, type Skinning } from './deformer.ts';
export { PointMovement } from './PointMovement.ts';
export { PosedPalettes } from './PosedPalettes.ts';
export {
  DEFAULT_RELAXING,
  MAX_RELAX_PASSES,
  SurfaceRelaxer,
  type Relaxing,
  type RelaxMesh,
  type RelaxPatch,
} from './SurfaceRelaxer.ts';
export { layRelaxScratch, relaxedDeformer, type RelaxScratch } from './relaxedDeformer.ts';
export {
  PartLook,
  type CharacterLook,
  type Look,
  type PosableCharacter,
  type PosablePart,
} from './PartLook.ts';
export * from './follow/index.ts';
export { PartMorpher, type MorphAmount, type MorphedPart } from './morph/PartMorpher.ts';
export { morphedDeformer, PartMorphs, type PosedMorph } from './morph/morphedDeformer.ts';
export { type TurnRange } from './morph/turns.ts';
export {
  MAX_CONTROLS,
  MAX_OWN_JOINTS,
  MIN_CONTROLS,
  MIN_OWN_JOINTS,
  type LaidRibbon,
  type Ribbon,
  type RibbonState,
} from './ribbon/Ribbon.ts';
export { chainPlaces, ribbonWidth } from './ribbon/layRibbon.ts';
export { ribbonDeformer } from './ribbon/ribbonDeformer.ts';
export { RibbonPoser } from './ribbon/RibbonPoser.ts';
export { weightsAlongRibbons } from './ribbon/weightsAlongRibbon.ts';
