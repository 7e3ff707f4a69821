import { WebIO, type Document, type JSONDocument, type Primitive } from '@gltf-transform/core';
import { ALL_EXTENSIONS } from '@gltf-transform/extensions';
import { CoreError, messageOf } from '../../errors.ts';
import { weldVertices } from '../../mesh/weld.ts';
import { recoverQuads } from '../../mesh/quads.ts';
import { findHardEdges } from '../../mesh/hardEdges.ts';
import { computeNormals, normalizeAll } from '../../mesh/normals.ts';
import { checkGltf } from './checkGltf.ts';
import type { Character, CharacterPart } from '../../document/character.ts';
import type { GltfContainer } from './container.ts';
import type { GltfJson } from './gltfJson.ts';
import { drawingNotes, readDrawing } from '../svg/drawingJson.ts';
import { readClips } from './readClips.ts';
import { sourceNotes } from './sourceNotes.ts';
import { readMorphs } from './readMorphs.ts';
import { readSkeleton, type SourceSkeleton } from './readSkeleton.ts';
import { noSourceWeights, readWeights } from './readWeights.ts';
import { createRows } from '../../weights/rows.ts';
import { arrayOf, decoded } from './accessorArray.ts';

/** What reading needs from its host: Draco's decoder comes in one form for pages and another for Node. */
export interface Decoders {
  /** A decoder module of the `draco3d` family, ready to use; called only when a file needs it. */
  draco?: () => Promise<unknown>;
}

/** The other decoder runs everywhere alike. */
async function meshoptDecoder(): Promise<unknown> {
  const { MeshoptDecoder } = await import('meshoptimizer');
  await MeshoptDecoder.ready;
  return MeshoptDecoder;
}

export type Progress = (stage: string, share: number) => void;

const TRIANGLES = 4;

/**
 * Reads a character: parts welded to points with quads recovered, the skeleton, and the weights a point.
 *
 * @throws CoreError with a code `file-…`; `detail.where` names the place in the file
 */
export async function readCharacter(
  container: GltfContainer,
  decoders: Decoders = {},
  progress: Progress = () => undefined,
): Promise<Character> {
  progress('Decoding', 0.1);
  const document = await decodeGltf(container, decoders);
  const { json } = container;
  const source = readSkeleton(document, json);
  const notes = [...source.notes, ...drawingNotes(json), ...sourceNotes(json)];
  const uses = listUses(json);
  const parts: CharacterPart[] = [];
  const rows: Character['rows'][number][] = [];
  const sourceWeights: Character['sourceWeights'][number][] = [];
  // Where nothing has weights, everything may get some.
  const isBare = !uses.some((use) => hasWeights(document, use));
  for (let i = 0; i < uses.length; i++) {
    const use = uses[i];
    progress(`Welding ${use.name}`, 0.3 + (0.7 * i) / uses.length);
    const primitive = document.getRoot().listMeshes()[use.mesh].listPrimitives()[use.primitive];
    const part = readPart(primitive, use, source, isBare, notes);
    if (!part) continue;
    if (part.source.skin >= 0) {
      const read = readWeights(primitive, part, source.skeleton.joints.length);
      rows.push(read.rows);
      sourceWeights.push(read.source);
    } else {
      rows.push(followNode(part, source, use.node));
      sourceWeights.push(noSourceWeights(part.vertexCount));
    }
    parts.push(part);
  }
  if (parts.length === 0) {
    throw new CoreError(
      'file-no-mesh',
      'There is no mesh of triangles in the file, so there is nothing to paint.',
    );
  }
  const drawing = readDrawing(container, parts);
  if (source.skeleton.joints.length === 0)
    notes.push(
      `This ${drawing ? 'drawing' : 'mesh'} has no skeleton yet: place joints in it under Bind, then bind it.`,
    );
  progress('Done', 1);
  return {
    ...(drawing && { drawing }),
    parts,
    skeleton: source.skeleton,
    rows,
    sourceWeights,
    morphs: readMorphs(document, parts, notes),
    clips: readClips(document, json, source.skeleton.joints, source.plainNodes),
    plainNodes: source.plainNodes,
    materialCount: json.materials?.length ?? 0,
    notes,
  };
}

/**
 * The first half of reading: the file checked, and every accessor decoded; nothing welded or derived yet.
 * @throws CoreError with a code `file-…`
 */
export async function decodeGltf(container: GltfContainer, decoders: Decoders = {}): Promise<Document> {
  checkGltf(container);
  const { json, buffers, images } = container;
  const io = new WebIO()
    .setLogger({ debug() {}, info() {}, warn() {}, error() {} })
    .registerExtensions(ALL_EXTENSIONS);
  const used = [...(json.extensionsUsed ?? []), ...(json.extensionsRequired ?? [])];
  const dependencies: Record<string, unknown> = {};
  const need = async (
    extension: string,
    key: string,
    load: (() => Promise<unknown>) | undefined,
  ): Promise<void> => {
    if (!used.includes(extension)) return;
    if (!load)
      throw new CoreError(
        'file-unsupported',
        `The file is compressed (${extension}), and no decoder is at hand.`,
      );
    dependencies[key] = await load();
  };
  await need('KHR_draco_mesh_compression', 'draco3d.decoder', decoders.draco);
  await need('EXT_meshopt_compression', 'meshopt.decoder', meshoptDecoder);
  await need('KHR_meshopt_compression', 'meshopt.decoder', meshoptDecoder);
  io.registerDependencies(dependencies);
  try {
    return await io.readJSON(asJsonDocument(json, buffers, images));
  } catch (error) {
    if (error instanceof CoreError) throw error;
    const reason = messageOf(error);
    throw new CoreError('file-invalid', `The file's data cannot be decoded (${reason}).`, {
      where: 'accessors',
    });
  }
}

/** The shape that the decoding library takes: every buffer under a uri of its own; pictures are not decoded. */
function asJsonDocument(
  json: GltfJson,
  buffers: readonly Uint8Array[],
  images: ReadonlyMap<string, Uint8Array>,
): JSONDocument {
  const resources: Record<string, Uint8Array<ArrayBuffer>> = {};
  const copy = JSON.parse(JSON.stringify(json)) as GltfJson;
  copy.buffers?.forEach((buffer, index) => {
    buffer.uri = `buffer-${index}.bin`;
    resources[buffer.uri] = buffers[index] as Uint8Array<ArrayBuffer>;
  });
  for (const [uri, bytes] of images) resources[uri] = bytes as Uint8Array<ArrayBuffer>;
  return { json: copy as unknown as JSONDocument['json'], resources };
}

interface MeshUse {
  readonly name: string;
  readonly mesh: number;
  readonly primitive: number;
  readonly node: number;
  readonly skin: number;
}

/** Every primitive of every mesh that a node shows, in file order; a mesh shown twice counts once. */
function listUses(json: GltfJson): MeshUse[] {
  const uses: MeshUse[] = [];
  (json.meshes ?? []).forEach((mesh, m) => {
    const nodes = (json.nodes ?? [])
      .map((node, index) => ({ node, index }))
      .filter(({ node }) => node.mesh === m);
    const shown = nodes.find(({ node }) => node.skin !== undefined) ?? nodes.at(0);
    if (!shown) return;
    const base = mesh.name || shown.node.name || `mesh ${m + 1}`;
    mesh.primitives.forEach((_, p) => {
      uses.push({
        name: p === 0 ? base : `${base} #${p + 1}`,
        mesh: m,
        primitive: p,
        node: shown.index,
        skin: shown.node.skin ?? -1,
      });
    });
  });
  return uses;
}

const isWeighted = (primitive: Primitive, { skin }: MeshUse): boolean =>
  skin >= 0 && primitive.getAttribute('JOINTS_0') !== null && primitive.getAttribute('WEIGHTS_0') !== null;

const hasWeights = (document: Document, use: MeshUse): boolean =>
  isWeighted(document.getRoot().listMeshes()[use.mesh].listPrimitives()[use.primitive], use);

function readPart(
  primitive: Primitive,
  use: MeshUse,
  source: SourceSkeleton,
  isBare: boolean,
  notes: string[],
): CharacterPart | undefined {
  const where = `meshes[${use.mesh}].primitives[${use.primitive}]`;
  const position = primitive.getAttribute('POSITION');
  if (primitive.getMode() !== TRIANGLES || !position) {
    notes.push(`“${use.name}” is not made of triangles and is passed through unseen.`);
    return undefined;
  }
  const vertexPositions = decoded(position);
  if (!allFinite(vertexPositions)) {
    throw new CoreError('file-invalid', `The file is damaged at ${where}: a position is not a number.`, {
      where,
    });
  }
  const weld = weldVertices(vertexPositions);
  const positions = new Float32Array(weld.pointCount * 3);
  for (let point = 0; point < weld.pointCount; point++) {
    const from = weld.pointVertex[point] * 3;
    positions[point * 3] = vertexPositions[from];
    positions[point * 3 + 1] = vertexPositions[from + 1];
    positions[point * 3 + 2] = vertexPositions[from + 2];
  }
  const corners = readCorners(primitive, weld.vertexPoint.length, where);
  const triangles = corners.map((vertex) => weld.vertexPoint[vertex]);
  const { offsets, points } = recoverQuads(triangles, positions);
  const weighted = isWeighted(primitive, use);
  const part: CharacterPart = {
    name: use.name,
    pointCount: weld.pointCount,
    vertexCount: weld.vertexPoint.length,
    positions,
    normals: readNormals(primitive, weld.vertexPoint, positions, triangles),
    vertexPoint: weld.vertexPoint,
    polygonOffsets: offsets,
    polygonPoints: points,
    triangles,
    corners,
    hardEdges: readHardEdges(primitive, weld.vertexPoint, corners, weld.pointCount),
    role: weighted || isBare ? 'skinned' : 'fixed',
    source: {
      ...use,
      skin: weighted ? use.skin : -1,
      hangsOn: source.hangsOn(use.node),
      jointOfSlot: weighted ? source.jointOfSlot[use.skin] : [],
    },
    inverseBinds: weighted ? source.skinBinds(use.skin) : source.nodeBinds(use.node),
  };
  return part;
}

/** A sum of products with zero is zero unless one of them is not finite. */
function allFinite(numbers: Float32Array): boolean {
  let sum = 0;
  for (let i = 0; i < numbers.length; i++) sum += numbers[i] * 0;
  return sum === 0;
}

/** A part without weights follows the joint that its node hangs on, if any, as one piece. */
function followNode(part: CharacterPart, source: SourceSkeleton, node: number): Character['rows'][number] {
  const joint = source.jointAbove(node);
  const rows = createRows(part.pointCount);
  if (joint < 0) return rows;
  for (let p = 0; p < part.pointCount; p++) {
    rows.joints[p * rows.stride] = joint;
    rows.values[p * rows.stride] = 1;
  }
  return rows;
}

/** Triangles, by vertices. */
function readCorners(primitive: Primitive, vertexCount: number, where: string): Uint32Array {
  const accessor = primitive.getIndices();
  const indices = accessor ? arrayOf(accessor) : undefined;
  const length = indices ? indices.length : vertexCount;
  const triangles = new Uint32Array(length - (length % 3));
  if (indices) triangles.set(triangles.length < length ? indices.subarray(0, triangles.length) : indices);
  else for (let i = 0; i < triangles.length; i++) triangles[i] = i;
  for (const vertex of triangles)
    if (vertex >= vertexCount) {
      const why = `index ${vertex} is out of range (${vertexCount} vertices)`;
      throw new CoreError('file-invalid', `The file is damaged at ${where}: ${why}.`, { where });
    }
  return triangles;
}

function readHardEdges(
  primitive: Primitive,
  vertexPoint: Uint32Array,
  corners: Uint32Array,
  pointCount: number,
): Uint32Array | undefined {
  const accessor = primitive.getAttribute('NORMAL');
  return accessor ? findHardEdges(corners, vertexPoint, decoded(accessor), pointCount) : undefined;
}

function readNormals(
  primitive: Primitive,
  vertexPoint: Uint32Array,
  positions: Float32Array,
  triangles: Uint32Array,
): Float32Array {
  const accessor = primitive.getAttribute('NORMAL');
  if (!accessor) return computeNormals(positions, triangles);
  const vertexNormals = decoded(accessor);
  const normals = new Float32Array(positions.length);
  for (let v = 0; v < vertexPoint.length; v++) {
    const at = vertexPoint[v] * 3;
    normals[at] += vertexNormals[v * 3];
    normals[at + 1] += vertexNormals[v * 3 + 1];
    normals[at + 2] += vertexNormals[v * 3 + 2];
  }
  normalizeAll(normals);
  return normals;
}
