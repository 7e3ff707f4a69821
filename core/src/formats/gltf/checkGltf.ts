import { checkShape, invalid, listAt } from './checkShape.ts';
import { CoreError } from '../../errors.ts';
import type { GltfContainer } from './container.ts';
import {
  COMPONENT_BYTES,
  TYPE_SIZE,
  type GltfAccessor,
  type GltfBufferView,
  type GltfJson,
} from './gltfJson.ts';

/** Extensions that change how geometry or nodes are to be read and that this reader knows. */
const READABLE_EXTENSIONS = new Set([
  'KHR_draco_mesh_compression',
  'EXT_meshopt_compression',
  'KHR_meshopt_compression',
  'KHR_mesh_quantization',
  'EXT_mesh_gpu_instancing',
  'KHR_texture_transform',
  'KHR_texture_basisu',
  'EXT_texture_webp',
  'EXT_texture_avif',
]);
const MAX_JOINTS = 4096;
const MAX_VERTICES = 4_000_000;
/** Decoding takes time and memory for each vertex, however few bytes they come in. */
const MAX_COMPRESSED_VERTICES = 1_500_000;

/**
 * Looks a file's structure over before anything is decoded: every index points at something, every accessor lies
 * within its bytes, nodes make a tree. What passes can be read without guarding each step.
 * @throws CoreError file-version, file-invalid, file-unsupported, file-truncated; `detail.where` is the JSON path
 */
export function checkGltf(container: GltfContainer): void {
  const { json } = container;
  checkShape(json);
  checkVersion(json);
  for (const key of ['extensionsRequired', 'extensionsUsed'] as const)
    if (!listAt(json[key], key).every((name) => typeof (name as unknown) === 'string'))
      throw invalid(key, 'it should list names');
  for (const name of json.extensionsRequired ?? []) {
    if (READABLE_EXTENSIONS.has(name) || name.startsWith('KHR_materials_') || name.startsWith('KHR_lights'))
      continue;
    throw new CoreError(
      'file-unsupported',
      `The file requires the extension ${name}, which cannot be read here.`,
      {
        where: 'extensionsRequired',
      },
    );
  }
  (json.bufferViews ?? []).forEach((view, i) => checkBufferView(container, view, `bufferViews[${i}]`));
  (json.accessors ?? []).forEach((accessor, i) => checkAccessor(json, accessor, `accessors[${i}]`));
  checkMeshes(json);
  checkTotal(json);
  checkNodes(json);
  checkSkins(json);
}

/** Refuses by what the file says of itself, before anything is decoded. */
function checkTotal({ meshes = [], accessors = [] }: GltfJson): void {
  let [total, compressed] = [0, 0];
  for (const { primitives } of meshes)
    for (const { attributes, extensions } of primitives) {
      const at = Object.hasOwn(attributes, 'POSITION') ? attributes.POSITION : accessors.length;
      const count = at < accessors.length ? accessors[at].count : 0;
      total += count;
      if (extensions?.KHR_draco_mesh_compression) compressed += count;
    }
  if (total <= MAX_VERTICES && compressed <= MAX_COMPRESSED_VERTICES) return;
  const [what, most] =
    total > MAX_VERTICES ? ['vertices', MAX_VERTICES] : ['compressed vertices', MAX_COMPRESSED_VERTICES];
  throw new CoreError(
    'file-too-large',
    `The file has ${Math.max(total, compressed).toLocaleString('en')} ${what}; at most ${most.toLocaleString('en')} can be taken.`,
    { where: 'meshes' },
  );
}

function checkVersion(json: GltfJson): void {
  const asset = json.asset as Partial<GltfJson['asset']> | undefined;
  const found: unknown = asset?.minVersion ?? asset?.version;
  const version = typeof found === 'string' ? found : 'missing';
  if (!/^2(\.|$)/.test(version)) {
    throw new CoreError('file-version', `The file's glTF version is ${version}; version 2 is needed.`, {
      version,
    });
  }
}

function checkIndex(value: unknown, list: readonly unknown[] | undefined, where: string, what: string): void {
  const count = list?.length ?? 0;
  if (!Number.isInteger(value)) throw invalid(where, `the number of a ${what} should stand there`);
  if ((value as number) < 0 || (value as number) >= count)
    throw invalid(where, `${what} ${value as number} does not exist (there are ${count})`);
}

function isCount(value: unknown): value is number {
  return Number.isInteger(value) && (value as number) >= 0;
}

function checkBufferView(container: GltfContainer, view: GltfBufferView, where: string): void {
  checkIndex(view.buffer, container.json.buffers, where, 'buffer');
  const offset = view.byteOffset ?? 0;
  if (!isCount(offset) || !isCount(view.byteLength))
    throw invalid(where, 'its offset or length is not a whole number');
  if (view.extensions) return; // compressed views are checked by their decoder
  if (offset + view.byteLength > container.buffers[view.buffer].length) {
    throw new CoreError(
      'file-truncated',
      `${where} reaches past the end of its buffer; the file is cut short.`,
      { where },
    );
  }
}

function checkAccessor(json: GltfJson, accessor: GltfAccessor, where: string): void {
  const isKnown =
    Object.hasOwn(TYPE_SIZE, accessor.type) && Object.hasOwn(COMPONENT_BYTES, accessor.componentType);
  const size = TYPE_SIZE[accessor.type];
  const bytes = COMPONENT_BYTES[accessor.componentType];
  if (!isKnown) throw invalid(where, 'its type is not one of glTF’s');
  if (!isCount(accessor.count)) throw invalid(where, 'its count is not a whole number');
  if (accessor.count > MAX_VERTICES * 6) {
    throw new CoreError(
      'file-too-large',
      `${where} has ${accessor.count} elements; the limit is ${MAX_VERTICES * 6}.`,
      {
        where,
      },
    );
  }
  if (accessor.sparse) {
    const { indices, values } = accessor.sparse as Partial<typeof accessor.sparse>;
    checkIndex(indices?.bufferView, json.bufferViews, `${where}.sparse.indices`, 'bufferView');
    checkIndex(values?.bufferView, json.bufferViews, `${where}.sparse.values`, 'bufferView');
  }
  if (accessor.bufferView === undefined) return;
  checkIndex(accessor.bufferView, json.bufferViews, where, 'bufferView');
  const view = (json.bufferViews ?? [])[accessor.bufferView];
  if (view.extensions) return;
  const stride = view.byteStride ?? size * bytes;
  const end =
    (accessor.byteOffset ?? 0) + (accessor.count > 0 ? (accessor.count - 1) * stride + size * bytes : 0);
  if (!(end <= view.byteLength))
    throw invalid(where, `it needs ${end} bytes, its buffer view has ${view.byteLength}`);
}

/** What the attributes that are read here consist of (glTF 2.0 specification, section 3.7.2.1). */
const ATTRIBUTE_TYPES: Readonly<Record<string, string | undefined>> = {
  POSITION: 'VEC3',
  NORMAL: 'VEC3',
  JOINTS: 'VEC4',
  WEIGHTS: 'VEC4',
};

function checkType({ type }: GltfAccessor, wanted: string | undefined, where: string): void {
  if (wanted !== undefined && type !== wanted)
    throw invalid(where, `it is ${type} where ${wanted} is needed`);
}

function checkMeshes(json: GltfJson): void {
  let vertices = 0;
  (json.meshes ?? []).forEach((mesh, m) => {
    if (!Array.isArray(mesh.primitives)) throw invalid(`meshes[${m}]`, 'it has no list of primitives');
    mesh.primitives.forEach((primitive, p) => {
      const where = `meshes[${m}].primitives[${p}]`;
      const held = primitive as { attributes?: Record<string, number> | null } | null;
      const attributes = held?.attributes;
      if (typeof attributes !== 'object' || attributes === null) throw invalid(where, 'no attributes');
      let count = -1;
      for (const [name, index] of Object.entries(attributes)) {
        checkIndex(index, json.accessors, `${where}.${name}`, 'accessor');
        const accessor = (json.accessors ?? [])[index];
        if (count >= 0 && accessor.count !== count) {
          throw invalid(`${where}.${name}`, `it has ${accessor.count} elements where others have ${count}`);
        }
        count = accessor.count;
        checkType(accessor, ATTRIBUTE_TYPES[name.replace(/_\d+$/, '')], `${where}.${name}`);
      }
      if (primitive.indices !== undefined) {
        checkIndex(primitive.indices, json.accessors, `${where}.indices`, 'accessor');
        checkType((json.accessors ?? [])[primitive.indices], 'SCALAR', `${where}.indices`);
      }
      vertices += Math.max(0, count);
    });
  });
  if (vertices > MAX_VERTICES) {
    throw new CoreError(
      'file-too-large',
      `The file has ${vertices} vertices; the limit is ${MAX_VERTICES}.`,
      { vertices },
    );
  }
}

function checkNodes(json: GltfJson): void {
  const nodes = json.nodes ?? [];
  const parent = new Int32Array(nodes.length).fill(-1);
  nodes.forEach((node, n) => {
    const where = `nodes[${n}]`;
    if (node.mesh !== undefined) checkIndex(node.mesh, json.meshes, where, 'mesh');
    if (node.skin !== undefined) checkIndex(node.skin, json.skins, where, 'skin');
    for (const child of listAt(node.children, `${where}.children`)) {
      checkIndex(child, nodes, `${where}.children`, 'node');
      if (parent[child] >= 0)
        throw invalid(`nodes[${child}]`, `it has two parents, nodes ${parent[child]} and ${n}`);
      parent[child] = n;
    }
    for (const key of ['matrix', 'translation', 'rotation', 'scale'] as const) {
      const numbers: unknown = node[key];
      const length = { matrix: 16, translation: 3, rotation: 4, scale: 3 }[key];
      if (numbers === undefined) continue;
      if (!Array.isArray(numbers) || numbers.length !== length || !numbers.every(Number.isFinite)) {
        throw invalid(`${where}.${key}`, `it should be ${length} finite numbers`);
      }
    }
  });
  // A node that is reached from itself: walking up from it never ends.
  const state = new Uint8Array(nodes.length); // 1: on the way up from the current start, 2: known to end
  for (let start = 0; start < nodes.length; start++) {
    let n = start;
    while (n >= 0 && state[n] === 0) {
      state[n] = 1;
      n = parent[n];
    }
    if (n >= 0 && state[n] === 1) throw invalid(`nodes[${n}]`, 'it is its own ancestor');
    for (n = start; n >= 0 && state[n] === 1; n = parent[n]) state[n] = 2;
  }
  (json.scenes ?? []).forEach((scene, s) => {
    for (const node of listAt(scene.nodes, `scenes[${s}].nodes`))
      checkIndex(node, nodes, `scenes[${s}]`, 'node');
  });
}

function checkSkins(json: GltfJson): void {
  (json.skins ?? []).forEach((skin, s) => {
    const where = `skins[${s}]`;
    if (!Array.isArray(skin.joints) || skin.joints.length === 0) throw invalid(where, 'it has no joints');
    if (skin.joints.length > MAX_JOINTS) {
      throw new CoreError(
        'file-too-large',
        `${where} has ${skin.joints.length} joints; the limit is ${MAX_JOINTS}.`,
        {
          where,
        },
      );
    }
    for (const joint of skin.joints) checkIndex(joint, json.nodes, `${where}.joints`, 'node');
    if (skin.inverseBindMatrices === undefined) return;
    checkIndex(skin.inverseBindMatrices, json.accessors, where, 'accessor');
    const { count, type } = (json.accessors ?? [])[skin.inverseBindMatrices];
    if (type !== 'MAT4' || count < skin.joints.length) {
      throw invalid(
        where,
        `${skin.joints.length} joints need as many inverse bind matrices, ${count} are there`,
      );
    }
  });
}
