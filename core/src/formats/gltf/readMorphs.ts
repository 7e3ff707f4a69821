import type { Accessor, Document } from '@gltf-transform/core';
import type { CharacterPart } from '../../document/character.ts';
import type { Morph, MorphTarget } from '../../mesh/morphs.ts';

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
        const name = names.at(i) ?? `${part.name.replace(/ #\d+$/, '')} ${i + 1}`;
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
  const vertices = movedVertices(all, vertexCount);
  const listed = (accessor: Accessor | null): Float32Array | undefined =>
    accessor ? elementsAt(accessor, vertices) : undefined;
  const [normalMoves, tangentMoves] = [listed(normals), listed(tangents)];
  return {
    part,
    vertices,
    positions: listed(positions) ?? new Float32Array(vertices.length * 3),
    ...(normalMoves && { normals: normalMoves }),
    ...(tangentMoves && { tangents: tangentMoves }),
  };
}

function movedVertices(accessors: readonly Accessor[], count: number): Uint32Array {
  const moved = new Uint8Array(count);
  const element: number[] = [];
  for (const accessor of accessors) {
    if (accessor.getArray() === null) continue;
    for (let v = 0; v < count; v++) {
      accessor.getElement(v, element);
      for (let k = 0; k < 3; k++) if (Math.abs(element[k]) > MIN_MOVE) moved[v] = 1;
    }
  }
  const vertices: number[] = [];
  for (let v = 0; v < count; v++) if (moved[v] === 1) vertices.push(v);
  return Uint32Array.from(vertices);
}

function elementsAt(accessor: Accessor, vertices: Uint32Array): Float32Array {
  const out = new Float32Array(vertices.length * 3);
  if (accessor.getArray() === null) return out;
  const element: number[] = [];
  vertices.forEach((v, i) => {
    accessor.getElement(v, element);
    for (let k = 0; k < 3; k++) out[i * 3 + k] = Number.isFinite(element[k]) ? element[k] : 0;
  });
  return out;
}
