import type { Character } from '../../document/character.ts';
import { liveJoints } from '../../skeleton/skeleton.ts';
import { countUnweighted, type WeightRows } from '../../weights/rows.ts';
import { type BufferWriter, FLOAT, UNSIGNED_BYTE } from './bufferWriter.ts';
import { appendBinds, type WrittenSkeleton } from './exportSkeleton.ts';
import type { GltfJson } from './gltfJson.ts';

/**
 * A new skin for each mesh that has weights now and none in the file. All primitives of a mesh with a skin need weights
 * (glTF 2.0 specification, section 3.7.3.1): those of a mesh go together, whichever of them was bound.
 *
 * @returns by part, its new skin
 */
export function addSkins(
  writer: BufferWriter,
  json: GltfJson,
  { parts, skeleton }: Character,
  rows: readonly WeightRows[],
  { jointsOfSkin, nodeOfJoint }: WrittenSkeleton,
): Map<number, number> {
  const skins = new Map<number, number>();
  const root = liveJoints(skeleton).at(0);
  const isBound = (part: number): boolean =>
    parts[part].role === 'skinned' && countUnweighted(rows[part]) < rows[part].pointCount;
  const bound = new Set(
    parts.flatMap(({ source }, part) => (source.skin < 0 && isBound(part) ? [source.node] : [])),
  );
  if (root === undefined) return skins;
  for (const node of bound) {
    const own = [...parts.keys()].filter((part) => parts[part].source.node === node);
    // The uppermost joint holds what nobody has bound.
    const inverseBindMatrices = appendBinds(writer, parts[own[0]].inverseBinds, [root]);
    const skin = (json.skins ??= []).push({ joints: [nodeOfJoint[root]], inverseBindMatrices }) - 1;
    jointsOfSkin[skin] = [root];
    const held = (json.nodes ?? [])[node];
    held.skin = skin;
    for (const part of own) if (parts[part].source.skin < 0) skins.set(part, skin);
    tieUnseen(writer, json, held.mesh ?? -1, new Set(own.map((part) => parts[part].source.primitive)));
  }
  return skins;
}

/** Lines and points of a mesh are passed through unseen: with a skin they need weights too, and follow its first joint. */
function tieUnseen(writer: BufferWriter, json: GltfJson, mesh: number, seen: ReadonlySet<number>): void {
  (json.meshes?.[mesh].primitives ?? []).forEach((primitive, index) => {
    const position = primitive.attributes.POSITION as number | undefined;
    if (seen.has(index) || position === undefined) return;
    const { count } = (json.accessors ?? [])[position];
    const all = new Uint8Array(count).fill(1);
    const weights = Float32Array.from({ length: count * 4 }, (_, k) => (k % 4 === 0 ? 1 : 0));
    writer.putAttribute(primitive, 'JOINTS_0', new Uint8Array(count * 4), UNSIGNED_BYTE, all);
    writer.putAttribute(primitive, 'WEIGHTS_0', weights, FLOAT, all);
  });
}
