import type { Document, Primitive } from '@gltf-transform/core';
import { quat, vec3 } from 'gl-matrix';
import type { Character, CharacterPart } from '../../document/character.ts';
import { withMeshes } from '../../document/withMeshes.ts';
import { withMovedPoints } from '../../document/withMovedPoints.ts';
import type { ShapeSettings } from '../../document/withShapes.ts';
import { withWelds } from '../../document/withWelds.ts';
import { type AddedVertex, type MeshChange, standsElsewhere } from '../../mesh/meshChange.ts';
import { arrayOf, decoded } from './accessorArray.ts';
import { rangeOf } from './binary.ts';
import { BufferWriter, FLOAT, UNSIGNED_INT, UNSIGNED_SHORT } from './bufferWriter.ts';
import type { GltfContainer } from './container.ts';
import type { GltfJson, GltfPrimitive } from './gltfJson.ts';
import { type Decoders, decodeGltf } from './readCharacter.ts';

/** Shorter than this, a vector has no direction. */
const MIN_LENGTH = 1e-12;

/**
 * A file as it were had it come with other meshes: parts whose mesh was changed are written anew with all that their vertices had
 * (texture coordinates, colours, tangents, shapes), linear along the edges that points were put on; of parts whose points are moved at
 * rest, places, normals and tangents. All else stays.
 *
 * @returns the file, and the character as it would be read from it, with points where they came
 */
export async function relaidMeshes(
  container: GltfContainer,
  character: Character,
  { meshes, moved, welds }: Pick<ShapeSettings, 'meshes' | 'moved' | 'welds'>,
  decoders: Decoders,
): Promise<{ readonly container: GltfContainer; readonly character: Character }> {
  const now = withMeshes(character, meshes);
  const welded = withWelds(now, welds);
  const placed = character.drawing ? welded : withMovedPoints(welded, moved);
  if (now === character && placed === welded) return { container, character };
  const document = await decodeGltf(container, decoders);
  const json = JSON.parse(JSON.stringify(container.json)) as GltfJson;
  const writer = new BufferWriter(json, container);
  now.parts.forEach((part, i) => {
    const isChanged = part !== character.parts[i];
    const isMoved = placed.parts[i] !== welded.parts[i];
    if (!isChanged && !isMoved) return;
    const { mesh, primitive: p } = part.source;
    const primitive = (json.meshes ?? [])[mesh].primitives[p];
    const held = primitiveOf(document, part);
    if (isChanged) {
      const vertices = meshes[i]?.vertices ?? [];
      const gone = standingElsewhere(character.parts[i], part, meshes[i]);
      writeVertices(writer, primitive, held, vertices, gone);
      writeTargets(writer, primitive, held, vertices, gone);
      const corners = part.corners ?? part.triangles;
      primitive.indices = appendCorners(writer, corners, part.vertexCount);
      delete primitive.extensions?.KHR_draco_mesh_compression;
    }
    if (isMoved)
      moveVertices(writer, primitive, held, welded.parts[i], placed.parts[i], meshes[i]?.vertices ?? []);
  });
  return { container: { json, buffers: writer.finish(), images: container.images }, character: now };
}

const primitiveOf = (document: Document, { source }: CharacterPart): Primitive =>
  document.getRoot().listMeshes()[source.mesh].listPrimitives()[source.primitive];

type Accessor = NonNullable<ReturnType<Primitive['getAttribute']>>;

/** Attributes of a primitive's vertices, with those of added vertices. */
function writeVertices(
  writer: BufferWriter,
  primitive: GltfPrimitive,
  held: Primitive,
  vertices: readonly AddedVertex[],
  elsewhere: ReadonlyMap<number, number>,
): void {
  for (const name of held.listSemantics()) {
    const accessor = held.getAttribute(name);
    if (!accessor) continue;
    const count = accessor.getCount() + vertices.length;
    const type = accessor.getType();
    if (name.startsWith('JOINTS_')) {
      // Whoever exports writes what new vertices have.
      const joints = new Uint16Array(count * 4);
      joints.set(arrayOf(accessor) ?? []);
      primitive.attributes[name] = writer.append(joints, UNSIGNED_SHORT, type, count, VERTICES);
    } else {
      const numbers = withAdded(name, accessor, vertices);
      copyElements(numbers, accessor.getElementSize(), elsewhere);
      primitive.attributes[name] = writer.append(numbers, FLOAT, type, count, VERTICES);
      if (name === 'POSITION') writer.describe(primitive.attributes[name], rangeOf(numbers));
    }
  }
}

/** Vertices of points that were taken out, each with one that was there on the point that it is on now: it becomes the same. */
function standingElsewhere(
  came: CharacterPart,
  now: CharacterPart,
  change: MeshChange | undefined,
): ReadonlyMap<number, number> {
  const isElsewhere = (v: number): boolean => change !== undefined && standsElsewhere(came, change, now, v);
  const first = new Map<number, number>();
  now.vertexPoint.forEach((p, v) => {
    if (!isElsewhere(v) && !first.has(p)) first.set(p, v);
  });
  return new Map(
    [...now.vertexPoint].flatMap((p, v): [number, number][] =>
      isElsewhere(v) ? [[v, first.get(p) ?? v]] : [],
    ),
  );
}

function copyElements(numbers: Float32Array, size: number, elsewhere: ReadonlyMap<number, number>): void {
  for (const [v, from] of elsewhere) numbers.copyWithin(v * size, from * size, (from + 1) * size);
}

const VERTICES = 34962;
const CORNERS = 34963;

/** An attribute's numbers with those of added vertices: between their parents', whole numbers as the nearer parent has them. */
function withAdded(name: string, accessor: Accessor, vertices: readonly AddedVertex[]): Float32Array {
  const size = accessor.getElementSize();
  const own = decoded(accessor);
  const out = new Float32Array(own.length + vertices.length * size);
  out.set(own);
  const isWhole =
    name.startsWith('_') && !accessor.getNormalized() && !(arrayOf(accessor) instanceof Float32Array);
  vertices.forEach(([a, b, share], i) => {
    const at = own.length + i * size;
    const t = isWhole ? Math.round(share) : share;
    for (let k = 0; k < size; k++) out[at + k] = (1 - t) * out[a * size + k] + t * out[b * size + k];
    if (name === 'NORMAL' || name === 'TANGENT') normalize(out, at, out.subarray(a * size, a * size + size));
    // Which way the other tangent goes is no amount.
    if (name === 'TANGENT') out[at + 3] = out[a * 4 + 3];
  });
  return out;
}

/** Gives three numbers the length one; those of another where they have none. */
function normalize(out: Float32Array, at: number, otherwise: ArrayLike<number>): void {
  const length = Math.hypot(out[at], out[at + 1], out[at + 2]);
  for (let k = 0; k < 3; k++) out[at + k] = length > MIN_LENGTH ? out[at + k] / length : otherwise[k];
}

function writeTargets(
  writer: BufferWriter,
  primitive: GltfPrimitive,
  held: Primitive,
  vertices: readonly AddedVertex[],
  elsewhere: ReadonlyMap<number, number>,
): void {
  const targets = held.listTargets();
  if (targets.length === 0) return;
  primitive.targets = targets.map((target) =>
    Object.fromEntries(
      target.listSemantics().flatMap((name): [string, number][] => {
        const accessor = target.getAttribute(name);
        if (!accessor) return [];
        const size = accessor.getElementSize();
        const own = decoded(accessor);
        const moves = new Float32Array(own.length + vertices.length * size);
        moves.set(own);
        vertices.forEach(([a, b, share], i) => {
          for (let k = 0; k < size; k++)
            moves[own.length + i * size + k] =
              (1 - share) * moves[a * size + k] + share * moves[b * size + k];
        });
        copyElements(moves, size, elsewhere);
        const index = writer.append(moves, FLOAT, accessor.getType(), moves.length / size);
        if (name === 'POSITION') writer.describe(index, rangeOf(moves));
        return [[name, index]];
      }),
    ),
  );
}

function appendCorners(writer: BufferWriter, corners: Uint32Array, vertexCount: number): number {
  const isShort = vertexCount < 65535;
  return writer.append(
    isShort ? Uint16Array.from(corners) : corners,
    isShort ? UNSIGNED_SHORT : UNSIGNED_INT,
    'SCALAR',
    corners.length,
    CORNERS,
  );
}

/** Moves vertices as far as their points are, and turns normals and tangents as the surface turns there. */
function moveVertices(
  writer: BufferWriter,
  primitive: GltfPrimitive,
  held: Primitive,
  was: CharacterPart,
  is: CharacterPart,
  vertices: readonly AddedVertex[],
): void {
  const numbersOf = (name: string): Float32Array | undefined => {
    const accessor = held.getAttribute(name);
    return accessor ? withAdded(name, accessor, vertices) : undefined;
  };
  const [places, normals, tangents] = ['POSITION', 'NORMAL', 'TANGENT'].map(numbersOf);
  const turn = quat.create();
  was.vertexPoint.forEach((p, v) => {
    const from = p * 3;
    for (let k = 0; places && k < 3; k++)
      places[v * 3 + k] += is.positions[from + k] - was.positions[from + k];
    if (!normals && !tangents) return;
    const [before, after] = [was, is].map(({ normals: own }) => own.subarray(from, from + 3));
    if (before.every((x, k) => x === after[k])) return;
    quat.rotationTo(turn, before, after);
    for (const [numbers, size] of [[normals, 3] as const, [tangents, 4] as const]) {
      if (!numbers) continue;
      const vector = numbers.subarray(v * size, v * size + 3);
      vec3.transformQuat(vector, vector, turn);
      normalize(numbers, v * size, before);
    }
  });
  const put = (name: string, numbers: Float32Array | undefined, type: string, size: number): void => {
    if (!numbers) return;
    primitive.attributes[name] = writer.append(numbers, FLOAT, type, numbers.length / size, VERTICES);
    delete primitive.extensions?.KHR_draco_mesh_compression?.attributes?.[name];
    if (name === 'POSITION') writer.describe(primitive.attributes[name], rangeOf(numbers));
  };
  put('POSITION', places, 'VEC3', 3);
  put('NORMAL', normals, 'VEC3', 3);
  put('TANGENT', tangents, 'VEC4', 4);
}
