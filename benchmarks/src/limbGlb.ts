import { Document, WebIO } from '@gltf-transform/core';
import { limb } from './limb.ts';

/** The limb of `side`² points as a file, each point bound to the two joints about it. */
export async function limbGlb(side: number): Promise<Uint8Array> {
  const {
    parts: [part],
    skeleton,
  } = limb(side);
  const document = new Document();
  const buffer = document.createBuffer();
  const accessor = (
    type: 'SCALAR' | 'VEC3' | 'VEC4' | 'MAT4',
    array: Float32Array | Uint16Array | Uint32Array,
  ) => document.createAccessor().setType(type).setArray(array).setBuffer(buffer);
  const nodes = skeleton.joints.map(({ name, translation }) =>
    document.createNode(name).setTranslation([...translation]),
  );
  nodes.forEach((node, j) => j > 0 && nodes[j - 1].addChild(node));
  const jointCount = nodes.length;
  const joints = new Uint16Array(part.pointCount * 4);
  const weights = new Float32Array(part.pointCount * 4);
  const length = part.positions[part.positions.length - 2];
  for (let p = 0; p < part.pointCount; p++) {
    const along = Math.min(
      jointCount - 1.001,
      Math.max(0, (part.positions[p * 3 + 1] / length) * jointCount - 0.5),
    );
    joints.set([Math.floor(along), Math.floor(along) + 1], p * 4);
    weights.set([1 - (along % 1), along % 1], p * 4);
  }
  const primitive = document
    .createPrimitive()
    .setIndices(accessor('SCALAR', part.triangles))
    .setAttribute('POSITION', accessor('VEC3', part.positions))
    .setAttribute('JOINTS_0', accessor('VEC4', joints))
    .setAttribute('WEIGHTS_0', accessor('VEC4', weights));
  const skin = document
    .createSkin()
    .setInverseBindMatrices(accessor('MAT4', part.inverseBinds.slice(0, jointCount * 16)));
  nodes.forEach((node) => skin.addJoint(node));
  const mesh = document.createMesh(part.name).addPrimitive(primitive);
  const scene = document.createScene();
  scene.addChild(nodes[0]).addChild(document.createNode(part.name).setMesh(mesh).setSkin(skin));
  return new WebIO().writeBinary(document);
}
