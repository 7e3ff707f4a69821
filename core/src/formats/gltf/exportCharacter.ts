import { differingRows, rowsEqual } from '../../weights/delta.ts';
import { influenceCount, type WeightRows } from '../../weights/rows.ts';
import type { JointSetups } from '../../skeleton/skeletonChange.ts';
import { isInexact } from '../../document/inexactSums.ts';
import { withJointSetups } from '../../document/withJointSetups.ts';
import { withWelds } from '../../document/withWelds.ts';
import { withSkinnedParts } from '../../document/withSkinnedParts.ts';
import type { Clip, Track } from '../../animation/clip.ts';
import { addClips, addTracksToClips, type WrittenClip } from './addClips.ts';
import { addTurnTracks } from './addTurnTracks.ts';
import { addSkins } from './addSkins.ts';
import { BufferWriter, FLOAT, UNSIGNED_BYTE, UNSIGNED_SHORT } from './bufferWriter.ts';
import type { Character, CharacterPart } from '../../document/character.ts';
import type { GltfContainer } from './container.ts';
import { appendBinds, exportSkeleton, type WrittenSkeleton } from './exportSkeleton.ts';
import type { GltfJson } from './gltfJson.ts';
import { type LeavingMorph, writeMorphs } from './writeMorphs.ts';

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
  /** The shapes that go out; as the file has them without. */
  readonly morphs?: readonly LeavingMorph[];
  /** Clips to add, of the character's joints as they are set up. */
  readonly clips?: readonly Clip[];
  /** By clip of the file, tracks to add to it: what moves joints that the file does not have. */
  readonly moreTracks?: readonly (readonly Track[])[];
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
    moreTracks = [],
    morphs,
  }: ExportOptions = {},
): GltfContainer {
  const json = JSON.parse(JSON.stringify(container.json)) as GltfJson;
  const writer = new BufferWriter(json, container);
  const edited = withSkinnedParts(withWelds(withJointSetups(character, setups), welds), skinned);
  const animations = json.animations ?? [];
  const skeleton = exportSkeleton(writer, json, character, edited);
  const skins = addSkins(writer, json, edited, rows, skeleton);
  const weightsOf = (part: CharacterPart, index: number): PartWeights => ({
    rows: rows[index],
    seamRows: character.sourceWeights[index].seams.rows,
    own: ownRows(character, part, index, rows[index]),
  });
  edited.parts.forEach((part, index) => {
    const skin = skins.get(index);
    if (skin !== undefined) {
      const whole = new Uint8Array(part.vertexCount).fill(1);
      const held = { ...part, source: { ...part.source, skin } };
      writePart(writer, json, held, skeleton, weightsOf(part, index), whole);
    }
    if (part.role !== 'skinned' || part.source.skin < 0) return;
    const changed = changedVertices(character, part, index, rows[index], leave[index]);
    // Slots that moved up must be written again everywhere.
    if (skeleton.renumbered.has(part.source.skin)) changed.fill(1);
    if (exactSums) markInexact(character, index, rows[index], changed);
    if (!changed.includes(1)) return;
    writePart(writer, json, part, skeleton, weightsOf(part, index), changed);
  });
  if (morphs) writeMorphs(writer, json, edited, morphs);
  const { joints } = edited.skeleton;
  addTracksToClips(writer, json, joints, skeleton.nodeOfJoint, animations, moreTracks);
  const added = addClips(writer, json, joints, skeleton.nodeOfJoint, clips);
  const own = animations.flatMap((animation, i): WrittenClip[] => {
    const clip = edited.clips.at(i);
    if (!clip || !json.animations?.includes(animation)) return [];
    return [{ animation, clip: { ...clip, tracks: [...clip.tracks, ...(moreTracks.at(i) ?? [])] } }];
  });
  if (morphs) addTurnTracks(writer, json, edited, [...own, ...added], morphs);
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
  const came = character.rows[index];
  const { values, stride } = rows;
  const changed = new Uint8Array(part.vertexCount);
  const differs = vertexPoint === part.vertexPoint ? differingRows(rows, came) : undefined;
  for (let v = 0; v < changed.length; v++) {
    const point = vertexPoint[v];
    const isKept = leave?.[v] === 1 || (asCame[v] === 1 && values[point * stride] > 0);
    // What the file says of the vertex, whatever point it stands on now.
    const isSame = differs ? differs[point] === 0 : rowsEqual(rows, point, came, part.vertexPoint[v]);
    changed[v] = isKept && isSame ? 0 : 1;
  }
  return changed;
}

function markInexact(character: Character, index: number, rows: WeightRows, changed: Uint8Array): void {
  const { sums } = character.sourceWeights[index];
  const { vertexPoint } = character.parts[index];
  for (let v = 0; v < sums.length; v++)
    if (changed[v] === 0 && sums[v] !== 1 && isInexact(sums[v], influenceCount(rows, vertexPoint[v])))
      changed[v] = 1;
}

/** A row's greatest weight, so that what is written sums to one as nearly as its numbers allow. */
function greatestWeight({ values, stride }: WeightRows, row: number): number {
  let rest = 0;
  let count = 1;
  for (; count < stride && values[row + count] !== 0; count++) rest += values[row + count];
  return isInexact(rest + values[row], count) ? 1 - rest : values[row];
}

/**
 * Vertices that are written from a row of their own, by its first slot: the vertices of a point came with different ones,
 * and nobody has touched the point. All others are written from their point's row.
 */
function ownRows(
  character: Character,
  { vertexPoint }: CharacterPart,
  index: number,
  rows: WeightRows,
): Map<number, number> {
  const { seams } = character.sourceWeights[index];
  const own = new Map<number, number>();
  seams.vertices.forEach((vertex, i) => {
    const point = vertexPoint[vertex];
    if (rowsEqual(rows, point, character.rows[index], point)) own.set(vertex, i * seams.rows.stride);
  });
  return own;
}

/** The weights of one part on their way into the file. */
interface PartWeights {
  readonly rows: WeightRows;
  readonly seamRows: WeightRows;
  /** See {@link ownRows}. */
  readonly own: ReadonlyMap<number, number>;
}

function writePart(
  writer: BufferWriter,
  json: GltfJson,
  part: CharacterPart,
  skeleton: WrittenSkeleton,
  { rows, seamRows, own }: PartWeights,
  changed: Uint8Array,
): void {
  const primitive = (json.meshes ?? [])[part.source.mesh].primitives[part.source.primitive];
  const slotOfJoint = slotsFor(writer, json, part, skeleton, rows);
  let most = 0;
  for (let p = 0; p < part.pointCount; p++) most = Math.max(most, influenceCount(rows, p));
  let sets = Math.max(1, Math.ceil(most / 4));
  while (Object.hasOwn(primitive.attributes, `WEIGHTS_${sets}`)) sets++;
  const slotCount = slotOfJoint.reduce((count, slot) => count + (slot >= 0 ? 1 : 0), 0);
  const jointType = slotCount > 256 ? UNSIGNED_SHORT : UNSIGNED_BYTE;
  // Slots are sorted anew where weights are written; a vertex must not get one half of that.
  if (!writer.canOverwriteAll(primitive, sets, jointType)) changed.fill(1);
  const { stride } = rows;
  for (let set = 0; set < sets; set++) {
    const target = new VertexSet(part.vertexCount, set, slotOfJoint, jointType);
    for (let v = 0; v < changed.length; v++)
      if (changed[v] === 1) target.put(v, rows, part.vertexPoint[v] * stride);
    for (const [v, row] of own) if (changed[v] === 1) target.put(v, seamRows, row);
    writer.putAttribute(primitive, `JOINTS_${set}`, target.joints, jointType, changed);
    writer.putAttribute(primitive, `WEIGHTS_${set}`, target.weights, FLOAT, changed);
  }
}

/** Four influences a vertex: one pair of the format's attributes. */
class VertexSet {
  readonly joints: Uint8Array | Uint16Array;
  readonly weights: Float32Array;
  readonly #set: number;
  readonly #slotOfJoint: Int32Array;
  readonly #uppermost: number;

  constructor(vertexCount: number, set: number, slotOfJoint: Int32Array, jointType: number) {
    this.joints = new (jointType === UNSIGNED_BYTE ? Uint8Array : Uint16Array)(vertexCount * 4);
    this.weights = new Float32Array(vertexCount * 4);
    this.#set = set;
    this.#slotOfJoint = slotOfJoint;
    this.#uppermost = slotOfJoint.find((slot) => slot >= 0) ?? 0;
  }

  /** Gives a vertex what stands in a row, from its first slot. */
  put(vertex: number, rows: WeightRows, row: number): void {
    const { values, joints, stride } = rows;
    const from = this.#set * 4;
    const count = Math.min(4, stride - from);
    for (let k = 0, at = vertex * 4; k < 4; k++, at++) {
      const weight = k < count ? values[row + from + k] : 0;
      this.weights[at] = weight;
      this.joints[at] = weight === 0 ? 0 : this.#slotOfJoint[joints[row + from + k]];
    }
    if (this.#set > 0) return;
    if (values[row] > 0) this.weights[vertex * 4] = greatestWeight(rows, row);
    else {
      this.weights[vertex * 4] = 1;
      this.joints[vertex * 4] = this.#uppermost;
    }
  }
}

/**
 * Slot of the part's skin by joint of the skeleton, -1 where it has none; joints that the skin lacks are added to it with
 * their bind matrices.
 */
function slotsFor(
  writer: BufferWriter,
  json: GltfJson,
  { source, inverseBinds }: CharacterPart,
  { jointsOfSkin, nodeOfJoint }: WrittenSkeleton,
  rows: WeightRows,
): Int32Array {
  const skin = (json.skins ?? [])[source.skin];
  const listed = jointsOfSkin[source.skin];
  const slots = new Int32Array(nodeOfJoint.length).fill(-1);
  listed.forEach((joint, slot) => {
    if (slots[joint] < 0) slots[joint] = slot;
  });
  const missing = jointsWithout(rows, slots);
  for (const joint of missing) {
    slots[joint] = listed.length;
    // Another part of the same skin meets the list with this joint in it.
    listed.push(joint);
    skin.joints.push(nodeOfJoint[joint]);
  }
  if (missing.size > 0) skin.inverseBindMatrices = appendBinds(writer, inverseBinds, listed);
  return slots;
}

/** The joints that rows name and that have no slot, in the order in which they are met. */
function jointsWithout({ values, joints, stride }: WeightRows, slots: Int32Array): Set<number> {
  const missing = new Set<number>();
  for (let row = 0; row < values.length; row += stride)
    for (let k = row; k < row + stride && values[k] > 0; k++)
      if (slots[joints[k]] < 0) missing.add(joints[k]);
  return missing;
}
