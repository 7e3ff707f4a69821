export {
  MAX_FILE_BYTES,
  openGlb,
  openGltf,
  writeGlb,
  writeGltf,
  type GltfContainer,
} from './gltf/container.ts';
export { decodeGltf, readCharacter, type Decoders, type Progress } from './gltf/readCharacter.ts';
export { readShapes, type ShapeSequence } from './gltf/readShapes.ts';
export { exportCharacter, type ExportOptions } from './gltf/exportCharacter.ts';
export { leavingMorphs } from './leavingMorphs.ts';
export type { LeavingMorph } from './gltf/writeMorphs.ts';
export { deliverDrawing } from './svg/deliverDrawing.ts';
export { relaidMeshes } from './gltf/relaidMeshes.ts';
export { relaidDrawing } from './svg/relaidDrawing.ts';
export {
  asGlb,
  characterAmong,
  kindOfFile,
  openCharacterFile,
  openPacked,
  type FileKind,
} from './openCharacterFile.ts';
export { unzip, zip } from './zip.ts';
export { writeSvg, type PosedLayer } from './svg/writeSvg.ts';
export { MAX_BVH_BYTES, readBvh, writeBvh } from './bvh.ts';
export { deliverCharacter, deliveryLosses, type Delivered, type Leaving } from './deliverCharacter.ts';
export { readWeightTable, weightsCsv, weightsJson } from './table/weightTables.ts';
