import { Bone, BufferAttribute, BufferGeometry, Matrix4, Skeleton, SkinnedMesh, Vector3 } from 'three';
import type { Surface } from './surface.ts';

/** One pass of three's own applyBoneTransform over the positions of the same surface. */
export function threeSkinning({ pointCount, jointCount, arrays }: Surface): () => void {
  const geometry = new BufferGeometry();
  geometry.setAttribute('position', new BufferAttribute(Float32Array.from(arrays.rest), 3));
  const index = new Uint16Array(pointCount * 4);
  const weight = new Float32Array(pointCount * 4);
  for (let p = 0; p < pointCount; p++) {
    for (let k = 0; k < 4; k++) {
      index[p * 4 + k] = arrays.rows.joints[p * arrays.rows.stride + k];
      weight[p * 4 + k] = arrays.rows.values[p * arrays.rows.stride + k];
    }
  }
  geometry.setAttribute('skinIndex', new BufferAttribute(index, 4));
  geometry.setAttribute('skinWeight', new BufferAttribute(weight, 4));
  const bones = Array.from({ length: jointCount }, (_, j) => {
    const bone = new Bone();
    bone.matrixWorld.fromArray(arrays.palette, j * 16);
    return bone;
  });
  const mesh = new SkinnedMesh(geometry);
  const skeleton = new Skeleton(
    bones,
    bones.map(() => new Matrix4()),
  );
  mesh.bind(skeleton, new Matrix4());
  const target = new Vector3();
  const position = geometry.getAttribute('position');
  return () => {
    for (let p = 0; p < pointCount; p++) mesh.applyBoneTransform(p, target.fromBufferAttribute(position, p));
  };
}
