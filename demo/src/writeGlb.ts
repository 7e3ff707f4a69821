import { Document, WebIO, type Node } from '@gltf-transform/core';
import { mat4 } from 'gl-matrix';
import { quadNormals, type DemoMesh } from './demoMesh.ts';

export interface SkeletonSource {
  readonly name: string;
  readonly parent: string | null;
  /** World matrix at rest, column-major. */
  readonly matrix: readonly number[];
}

/** Turns about a joint's own x, y, z in degrees, at a time in seconds. */
export interface ClipSource {
  readonly name: string;
  /** Times of the keys, rising, in seconds. */
  readonly times: readonly number[];
  /** Joint → angles at each key. */
  readonly turns: Readonly<Record<string, readonly (readonly [number, number, number])[]>>;
}

/**
 * Writes meshes, skeleton and clips as one binary glTF, deterministically.
 * @param rename what joints are called in the file
 */
export async function writeGlb(
  name: string,
  skeleton: readonly SkeletonSource[],
  meshes: readonly DemoMesh[],
  clips: readonly ClipSource[],
  rename: (joint: string) => string = (joint) => joint,
): Promise<Uint8Array> {
  const document = new Document();
  const buffer = document.createBuffer();
  const scene = document.createScene(name);
  const { nodes, skin } = addSkeleton(document, skeleton);
  scene.addChild(nodes[0]);
  for (const mesh of meshes) {
    const material = document
      .createMaterial(mesh.name)
      .setBaseColorFactor([...mesh.colour, 1])
      .setRoughnessFactor(0.9)
      .setMetallicFactor(0)
      .setDoubleSided(mesh.doubleSided);
    const primitive = addPrimitive(document, mesh).setMaterial(material);
    const written = document.createMesh(mesh.name).addPrimitive(primitive);
    if (mesh.shapes)
      written
        .setExtras({ targetNames: mesh.shapes.map((shape) => shape.name) })
        .setWeights(mesh.shapes.map(() => 0));
    const node = document.createNode(mesh.name).setMesh(written).setSkin(skin);
    scene.addChild(node);
  }
  for (const clip of clips) addClip(document, clip, skeleton, nodes);
  for (const node of nodes) node.setName(rename(node.getName()));
  for (const accessor of document.getRoot().listAccessors()) accessor.setBuffer(buffer);
  return new WebIO().writeBinary(document);
}

function addSkeleton(document: Document, skeleton: readonly SkeletonSource[]) {
  const skin = document.createSkin('skin');
  const inverses = new Float32Array(skeleton.length * 16);
  const nodes = skeleton.map(({ name, parent, matrix }, index) => {
    const node = document.createNode(name);
    const inverse = mat4.create();
    mat4.invert(inverse, matrix);
    inverses.set(inverse, index * 16);
    const local = mat4.clone(matrix);
    const above = skeleton.find((joint) => joint.name === parent);
    if (above) {
      mat4.invert(local, above.matrix);
      mat4.multiply(local, local, matrix);
    }
    node.setMatrix([...local] as Parameters<Node['setMatrix']>[0]);
    skin.addJoint(node);
    return node;
  });
  skeleton.forEach(({ parent }, index) => {
    const above = skeleton.findIndex((joint) => joint.name === parent);
    if (above >= 0) nodes[above].addChild(nodes[index]);
  });
  skin.setInverseBindMatrices(document.createAccessor('inverse binds').setType('MAT4').setArray(inverses));
  return { nodes, skin };
}

/** Points become vertices, split where texture corners differ. */
function addPrimitive(document: Document, mesh: DemoMesh) {
  const normals = quadNormals(mesh);
  const vertexOf = new Map<string, number>();
  const pointOfVertex: number[] = [];
  const uv: number[] = [];
  const corner = Uint32Array.from(mesh.quads, (point, c) => {
    const [u, v] = [mesh.uv[c * 2], mesh.uv[c * 2 + 1]];
    const key = `${point} ${u.toFixed(6)} ${v.toFixed(6)}`;
    let vertex = vertexOf.get(key);
    if (vertex === undefined) {
      vertex = pointOfVertex.length;
      vertexOf.set(key, vertex);
      pointOfVertex.push(point);
      uv.push(u, v);
    }
    return vertex;
  });
  const indices = new Uint32Array((corner.length / 4) * 6);
  for (let q = 0; q < corner.length / 4; q++) {
    const [a, b, c, d] = corner.subarray(q * 4, q * 4 + 4);
    indices.set([a, b, c, a, c, d], q * 6);
  }
  const perVertex = (source: Float32Array): Float32Array => {
    const out = new Float32Array(pointOfVertex.length * 3);
    pointOfVertex.forEach((point, v) => out.set(source.subarray(point * 3, point * 3 + 3), v * 3));
    return out;
  };
  const accessor = (
    type: 'SCALAR' | 'VEC2' | 'VEC3' | 'VEC4',
    array: Float32Array | Uint8Array | Uint32Array | Uint16Array,
  ) => document.createAccessor().setType(type).setArray(array);
  const primitive = document
    .createPrimitive()
    .setAttribute('POSITION', accessor('VEC3', perVertex(mesh.positions)))
    .setAttribute('NORMAL', accessor('VEC3', perVertex(normals)))
    .setAttribute('TEXCOORD_0', accessor('VEC2', Float32Array.from(uv)))
    .setIndices(accessor('SCALAR', pointOfVertex.length > 65535 ? indices : Uint16Array.from(indices)));
  for (const { name, moves } of mesh.shapes ?? [])
    primitive.addTarget(
      document
        .createPrimitiveTarget(name)
        .setAttribute('POSITION', accessor('VEC3', perVertex(moves)).setSparse(true)),
    );
  const sets = Math.ceil(mesh.weights.reduce((most, row) => Math.max(most, row.size), 1) / 4);
  for (let set = 0; set < sets; set++) {
    const joints = new Uint8Array(pointOfVertex.length * 4);
    const weights = new Float32Array(pointOfVertex.length * 4);
    pointOfVertex.forEach((point, v) => {
      const row = [...mesh.weights[point]]
        .sort((a, b) => b[1] - a[1] || a[0] - b[0])
        .slice(set * 4, set * 4 + 4);
      row.forEach(([joint, weight], k) => {
        joints[v * 4 + k] = joint;
        weights[v * 4 + k] = weight;
      });
    });
    primitive
      .setAttribute(`JOINTS_${set}`, accessor('VEC4', joints))
      .setAttribute(`WEIGHTS_${set}`, accessor('VEC4', weights));
  }
  return primitive;
}

function addClip(
  document: Document,
  clip: ClipSource,
  skeleton: readonly SkeletonSource[],
  nodes: readonly Node[],
): void {
  const animation = document.createAnimation(clip.name);
  const input = document
    .createAccessor(`${clip.name} times`)
    .setType('SCALAR')
    .setArray(Float32Array.from(clip.times));
  for (const [joint, angles] of Object.entries(clip.turns)) {
    const node = nodes[skeleton.findIndex(({ name }) => name === joint)];
    const rest = node.getRotation();
    const output = new Float32Array(angles.length * 4);
    angles.forEach((turn, key) => output.set(multiply(rest, fromAngles(turn)), key * 4));
    const sampler = document
      .createAnimationSampler()
      .setInput(input)
      .setOutput(document.createAccessor(`${clip.name} ${joint}`).setType('VEC4').setArray(output));
    animation
      .addSampler(sampler)
      .addChannel(
        document.createAnimationChannel().setTargetNode(node).setTargetPath('rotation').setSampler(sampler),
      );
  }
}

type Quaternion = [number, number, number, number];

function multiply(a: readonly number[], b: readonly number[]): Quaternion {
  const [ax, ay, az, aw] = a;
  const [bx, by, bz, bw] = b;
  const out: Quaternion = [
    ax * bw + aw * bx + ay * bz - az * by,
    ay * bw + aw * by + az * bx - ax * bz,
    az * bw + aw * bz + ax * by - ay * bx,
    aw * bw - ax * bx - ay * by - az * bz,
  ];
  const size = Math.hypot(...out);
  return out.map((n) => n / size) as Quaternion;
}

function fromAngles([x, y, z]: readonly [number, number, number]): Quaternion {
  const h = Math.PI / 360;
  const turn = (axis: number, degrees: number): Quaternion => {
    const q: Quaternion = [0, 0, 0, Math.cos(degrees * h)];
    q[axis] = Math.sin(degrees * h);
    return q;
  };
  return multiply(multiply(turn(0, x), turn(1, y)), turn(2, z));
}
