export { FaceMap } from './FaceMap.ts';
export {
  insertLoop,
  insertPoint,
  meshAsInFile,
  MIN_SHARE,
  takeOutPoints,
  turnEdge,
  type EdgePlace,
  type MeshEdit,
  type MeshSubject,
} from './changeMesh.ts';
export { quadRing, type QuadRing } from './quadRing.ts';
export { RestStroke, type RestSubject } from './RestStroke.ts';
export { pushOut, type PushedPart, type PushRequest } from './pushOut.ts';
