export { MeshEditor } from './MeshEditor.ts';
export {
  insertLoop,
  insertPoint,
  loopAlong,
  MIN_SHARE,
  takeOutPoints,
  turnEdge,
  type EdgePlace,
  type MeshEdit,
  type MeshSubject,
} from './changeMesh.ts';
