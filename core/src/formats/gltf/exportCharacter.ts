import { rowsEqual } from '../../weights/delta.ts';
import { influenceCount, type WeightRows } from '../../weights/rows.ts';
import type { JointSetups } from '../../skeleton/skeletonChange.ts';
import { isInexact } from '../../document/inexactSums.ts';
import { withJointSetups } from '../../document/withJointSetups.ts';
import { withWelds } from '../../document/withWelds.ts';
import { withSkinnedParts } from '../../document/withSkinnedParts.ts';
import type { Clip } from '../../animation/clip.ts';
import { addClips } from './addClips.ts';
import { addSkins } from './addSkins.ts';
import { BufferWriter, FLOAT, UNSIGNED_BYTE, UNSIGNED_SHORT } from './bufferWriter.ts';
import type { Character, CharacterPart } from '../../document/character.ts';
import type { GltfContainer } from './container.ts';
import { appendBinds, exportSkeleton, type WrittenSkeleton } from './exportSkeleton.ts';
import type { GltfJson } from './gltfJson.ts';

export interface ExportOptions {
  /** By part, 1 for vertices that keep the file's own numbers though they were put right when read. */
  readonly leave?: readonly (Uint8Array | undefined)[];
  /** How joints stand that differ from the file. */
  readonly setups?: JointSetups;
  /** Parts that have weights though the file gives them none. */
  readonly skinned?: ReadonlySet<number>;
  /** By part, the distance within which its points are one; see withWelds. */
  readonly welds?: Readonly<Record<number, number>>;
  /** Whether vertices that nobody edited are written anew too, where their sums are off by more than the format allows. */
  readonly exactSums?: boolean;
  /** Clips to add, of the character's joints as they are set up. */
  readonly clips?: readonly Clip[];
}

/**
 * The source file with its weights replaced, and its joints where they were set up otherwise; everything else as it
 * came.
 *
 * Only primitives with a changed row are touched, and in them only the vertices of changed points; a vertex that still
 * says what the file said keeps the file's own numbers. Where the file's own accessor can hold the result (plain f32
 * weights), its bytes are overwritten; else a new accessor is added behind the last buffer. The format knows no vertex
 * without weight: unweighted ones are written on the skin's uppermost joint.
 *
 * @param container the source, as it was read for `character`; not changed
 * @param rows      the weights to write, one a part
 */
export function exportCharacter(
  container: GltfContainer,
  character: Character,
  rows: readonly WeightRows[],
  {
    leave = [],
    setups = {},
    skinned = new Set(),
    welds = {},
    exactSums = false,
    clips = [],
  }: ExportOptions = {},
): GltfContainer {
  const json = JSON.parse(JSON.stringify(container.json)) as GltfJson;
  const writer = new BufferWriter(json, container);
  const edited = withSkinnedParts(withWelds(withJointSetups(character, setups), welds), skinned);
  const skeleton = exportSkeleton(writer, json, character, edited);
  const skins = addSkins(writer, json, edited, rows, skeleton);
  edited.parts.forEach((part, index) => {
    const skin = skins.get(index);
    if (skin !== undefined) {
      const whole = new Uint8Array(part.vertexCount).fill(1);
      const rowOf = rowsOfVertices(character, part, index, rows[index]);
      const held = { ...part, source: { ...part.source, skin } };
      writePart(writer, json, held, skeleton, rows[index], rowOf, whole);
    }
    if (part.role !== 'skinned' || part.source.skin < 0) return;
    const changed = changedVertices(character, part, index, rows[index], leave[index]);
    // Slots that moved up must be written again everywhere.
    if (skeleton.renumbered.has(part.source.skin)) changed.fill(1);
    if (exactSums) markInexact(character, index, rows[index], changed);
    if (!changed.includes(1)) return;
    const rowOf = rowsOfVertices(character, part, index, rows[index]);
    writePart(writer, json, part, skeleton, rows[index], rowOf, changed);
  });
  addClips(writer, json, edited.skeleton.joints, skeleton.nodeOfJoint, clips);
  return { json, buffers: writer.finish(), images: container.images };
}

/** 1 for each vertex whose row differs from what the file says, and for each that has no weight. */
function changedVertices(
  character: Character,
  { vertexPoint }: CharacterPart,
  index: number,
  rows: WeightRows,
  leave: Uint8Array | undefined,
): Uint8Array {
  const part = character.parts[index];
  const { asCame } = character.sourceWeights[index];
  const changed = new Uint8Array(part.vertexCount);
  for (let v = 0; v < part.vertexCount; v++) {
    const point = vertexPoint[v];
    // What the file says of the vertex, whatever point it stands on now.
    const own = rowsEqual(rows, point, character.rows[index], part.vertexPoint[v]);
    const left = own && leave?.[v] === 1;
    changed[v] = left || (own && asCame[v] && rows.values[point * rows.stride] > 0) ? 0 : 1;
  }
  return changed;
}

function markInexact(character: Character, index: number, rows: WeightRows, changed: Uint8Array): void {
  const { sums } = character.sourceWeights[index];
  const { vertexPoint } = character.parts[index];
  for (let v = 0; v < sums.length; v++)
    if (isInexact(sums[v], influenceCount(rows, vertexPoint[v]))) changed[v] = 1;
}

/** A row's greatest weight, so that what is written sums to one as nearly as its numbers allow. */
function greatestWeight({ values, stride }: WeightRows, row: number): number {
  let rest = 0;
  let count = 1;
  for (; count < stride && values[row + count] !== 0; count++) rest += values[row + count];
  return isInexact(rest + values[row], count) ? 1 - rest : values[row];
}

/**
 * Which row a vertex is written from: its point's; its own, where the vertices of a point came with different ones and
 * nobody has touched the point.
 */
function rowsOfVertices(
  character: Character,
  { vertexPoint }: CharacterPart,
  index: number,
  rows: WeightRows,
): (vertex: number) => { rows: WeightRows; row: number } {
  const { seams } = character.sourceWeights[index];
  const own = new Map<number, number>();
  seams.vertices.forEach((vertex, i) => {
    const point = vertexPoint[vertex];
    if (rowsEqual(rows, point, character.rows[index], point)) own.set(vertex, i * seams.rows.stride);
  });
  return (vertex) => {
    const row = own.get(vertex);
    return row === undefined ? { rows, row: vertexPoint[vertex] * rows.stride } : { rows: seams.rows, row };
  };
}

function writePart(
  writer: BufferWriter,
  json: GltfJson,
  part: CharacterPart,
  skeleton: WrittenSkeleton,
  all: WeightRows,
  rowOf: (vertex: number) => { rows: WeightRows; row: number },
  changed: Uint8Array,
): void {
  const primitive = (json.meshes ?? [])[part.source.mesh].primitives[part.source.primitive];
  const slotOfJoint = slotsFor(writer, json, part, skeleton, all);
  let most = 0;
  for (let p = 0; p < part.pointCount; p++) most = Math.max(most, influenceCount(all, p));
  let sets = Math.max(1, Math.ceil(most / 4));
  while (Object.hasOwn(primitive.attributes, `WEIGHTS_${sets}`)) sets++;
  const jointType = slotOfJoint.size > 256 ? UNSIGNED_SHORT : UNSIGNED_BYTE;
  // Slots are sorted anew where weights are written; a vertex must not get one half of that.
  if (!writer.canOverwriteAll(primitive, sets, jointType)) changed.fill(1);
  const uppermost = slotOfJoint.get(Math.min(...slotOfJoint.keys())) as number;
  for (let set = 0; set < sets; set++) {
    const joints =
      jointType === UNSIGNED_BYTE
        ? new Uint8Array(part.vertexCount * 4)
        : new Uint16Array(part.vertexCount * 4);
    const weights = new Float32Array(part.vertexCount * 4);
    for (let v = 0; v < part.vertexCount; v++) {
      // Only where something is written are numbers needed.
      if (!changed[v]) continue;
      const { rows, row } = rowOf(v);
      if (set === 0 && rows.values[row] === 0) {
        weights[v * 4] = 1;
        joints[v * 4] = uppermost;
      }
      for (let k = 0; k < 4 && set * 4 + k < rows.stride; k++) {
        const weight =
          set === 0 && k === 0 && rows.values[row] > 0
            ? greatestWeight(rows, row)
            : rows.values[row + set * 4 + k];
        if (weight === 0) break;
        weights[v * 4 + k] = weight;
        joints[v * 4 + k] = slotOfJoint.get(rows.joints[row + set * 4 + k]) as number;
      }
    }
    writer.putAttribute(primitive, `JOINTS_${set}`, joints, jointType, changed);
    writer.putAttribute(primitive, `WEIGHTS_${set}`, weights, FLOAT, changed);
  }
}

/** Skeleton joint → slot of the part's skin; joints that the skin lacks are added to it with their bind matrices. */
function slotsFor(
  writer: BufferWriter,
  json: GltfJson,
  { source, inverseBinds }: CharacterPart,
  { jointsOfSkin, nodeOfJoint }: WrittenSkeleton,
  rows: WeightRows,
): Map<number, number> {
  const skin = (json.skins ?? [])[source.skin];
  const listed = jointsOfSkin[source.skin];
  const slots = new Map<number, number>();
  listed.forEach((joint, slot) => {
    if (!slots.has(joint)) slots.set(joint, slot);
  });
  const missing = new Set<number>();
  for (let i = 0; i < rows.values.length; i++)
    if (rows.values[i] > 0 && !slots.has(rows.joints[i])) missing.add(rows.joints[i]);
  if (missing.size === 0) return slots;
  for (const joint of missing) {
    slots.set(joint, listed.length);
    // Another part of the same skin meets the list with this joint in it.
    listed.push(joint);
    skin.joints.push(nodeOfJoint[joint]);
  }
  skin.inverseBindMatrices = appendBinds(writer, inverseBinds, listed);
  return slots;
}
