import type { Accessor, Document } from '@gltf-transform/core';
import type { CharacterPart } from '../../document/character.ts';
import type { Morph, MorphTarget } from '../../mesh/morphs.ts';
import { arrayOf } from './accessorArray.ts';

type Target = ReturnType<ReturnType<Document['createPrimitive']>['listTargets']>[number];

/** Farther than this, in part space, a vertex is moved. */
const MIN_MOVE = 1e-12;

/**
 * The shapes of a file: morph targets by their names (`extras.targetNames`, as most writers keep them); meshes whose targets have
 * one name share a shape. Targets without a name are called by their mesh and number.
 *
 * @param notes what a person should know is added
 */
export function readMorphs(document: Document, parts: readonly CharacterPart[], notes: string[]): Morph[] {
  const found = new Map<
    string,
    { -readonly [K in keyof Morph]: Morph[K] } & { targets: MorphTarget[]; places: Record<number, number> }
  >();
  const root = document.getRoot();
  parts.forEach((part, index) => {
    const mesh = root.listMeshes()[part.source.mesh];
    const names = namesOf(mesh.getExtras());
    const weights = weightsOf(root.listNodes()[part.source.node].getWeights(), mesh.getWeights());
    mesh
      .listPrimitives()
      [part.source.primitive].listTargets()
      .forEach((target, i) => {
        const given = names.at(i) ?? `${part.name.replace(/ #\d+$/, '')} ${i + 1}`;
        // Two targets of a mesh with one name are two shapes.
        let name = given;
        for (let n = 2; isTaken(found.get(name), part.source.mesh, i); n++) name = `${given} (${n})`;
        const moved = readTarget(target, index, part.vertexCount);
        if (!moved) {
          notes.push(
            `The shape “${name}” of “${part.name}” has other points than its mesh and is left alone.`,
          );
          return;
        }
        const morph = found.get(name) ?? { name, weight: weights.at(i) ?? 0, targets: [], places: {} };
        morph.targets.push(moved);
        morph.places[part.source.mesh] ??= i;
        found.set(name, morph);
      });
  });
  return [...found.values()];
}

const isTaken = (morph: Pick<Morph, 'places'> | undefined, mesh: number, place: number): boolean =>
  (morph?.places[mesh] ?? place) !== place;

const weightsOf = (own: readonly number[], mesh: readonly number[]): readonly number[] =>
  own.length > 0 ? own : mesh;

function namesOf(extras: Record<string, unknown>): (string | undefined)[] {
  const { targetNames } = extras;
  if (!Array.isArray(targetNames)) return [];
  return targetNames.map((name: unknown) =>
    typeof name === 'string' && name.trim() !== '' ? name : undefined,
  );
}

/** What a target moves; undefined where its accessors have other counts than the mesh. */
function readTarget(target: Target, part: number, vertexCount: number): MorphTarget | undefined {
  const [positions, normals, tangents] = ['POSITION', 'NORMAL', 'TANGENT'].map((name) =>
    target.getAttribute(name),
  );
  const all = [positions, normals, tangents].filter((accessor) => accessor !== null);
  if (all.some((accessor) => accessor.getCount() !== vertexCount)) return undefined;
  const [moves, ...others] = [positions, normals, tangents].map((accessor) => accessor && floatsOf(accessor));
  const vertices = movedVertices(
    [moves, ...others].filter((of) => of !== null),
    vertexCount,
  );
  const [ofNormals, ofTangents] = others.map((of) => of && valuesAt(of, vertices));
  return {
    part,
    vertices,
    positions: moves ? valuesAt(moves, vertices) : new Float32Array(vertices.length * 3),
    ...(ofNormals && { normals: ofNormals }),
    ...(ofTangents && { tangents: ofTangents }),
  };
}

/** An accessor's numbers, three an element; sparse and quantized ones are decoded by now or here. */
function floatsOf(accessor: Accessor): Float32Array {
  const array = arrayOf(accessor);
  if (array instanceof Float32Array) return array;
  const out = new Float32Array(accessor.getCount() * 3);
  const element: number[] = [];
  if (array)
    for (let v = 0; v < accessor.getCount(); v++) out.set(accessor.getElement(v, element).slice(0, 3), v * 3);
  return out;
}

function movedVertices(all: readonly Float32Array[], count: number): Uint32Array {
  const moved = new Uint8Array(count);
  for (const values of all)
    for (let i = 0; i < values.length; i++) if (Math.abs(values[i]) > MIN_MOVE) moved[Math.floor(i / 3)] = 1;
  const vertices: number[] = [];
  for (let v = 0; v < count; v++) if (moved[v] === 1) vertices.push(v);
  return Uint32Array.from(vertices);
}

function valuesAt(values: Float32Array, vertices: Uint32Array): Float32Array {
  const out = new Float32Array(vertices.length * 3);
  vertices.forEach((v, i) => {
    for (let k = 0; k < 3; k++) {
      const x = values[v * 3 + k];
      out[i * 3 + k] = Number.isFinite(x) ? x : 0;
    }
  });
  return out;
}
