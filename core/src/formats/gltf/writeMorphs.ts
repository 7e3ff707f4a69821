import { CoreError } from '../../errors.ts';
import type { Character } from '../../document/character.ts';
import type { TurnRange } from '../../deform/morph/turns.ts';
import type { Morph, MorphTarget } from '../../mesh/morphs.ts';
import { type BufferWriter, FLOAT, UNSIGNED_INT } from './bufferWriter.ts';
import type { GltfAnimation, GltfJson, GltfPrimitive } from './gltfJson.ts';

/** A shape as it goes out. */
export interface LeavingMorph {
  /** Number of the file's shape that it is, or is made of. */
  readonly morph: number;
  readonly name: string;
  /** By part, how much of it each point takes; all of it where they are missing. */
  readonly amounts?: ReadonlyMap<number, Float32Array>;
  /** Whether it was made here, beside the file's own. */
  readonly isMade: boolean;
  /** A joint's turn by which it goes on; see {@link addTurnTracks}. */
  readonly turn?: TurnRange;
}

/** One target of a mesh on its way out: where it was, and what it is now. */
export interface Slot {
  readonly leaving: LeavingMorph;
  readonly from: number;
}

/**
 * Writes shapes: with their masks applied, renamed, made of others, or left out. Targets whose shape nobody changed keep the file's
 * own numbers. What is changed is written sparsely, position, normal and tangent alike. Clips of the amounts go along: what was made
 * of a shape that is left out takes that one's, so that both halves of it do what the whole did.
 */
export function writeMorphs(
  writer: BufferWriter,
  json: GltfJson,
  character: Character,
  leaving: readonly LeavingMorph[],
): void {
  (json.meshes ?? []).forEach((mesh, m) => {
    const count = mesh.primitives[0]?.targets?.length ?? 0;
    // What no part was read of stays as it is.
    if (count === 0 || !character.parts.some(({ source }) => source.mesh === m)) return;
    const slots = slotsOf(character.morphs, leaving, m);
    checkAllRead(character.morphs, m, count);
    const isSame =
      slots.length === count && slots.every(({ from, leaving: { isMade } }, i) => from === i && !isMade);
    mesh.primitives.forEach((primitive, p) => {
      const part = character.parts.findIndex(({ source }) => source.mesh === m && source.primitive === p);
      primitive.targets = slots.map((slot) => targetOf(writer, primitive, character, part, slot));
      if (slots.length === 0) delete primitive.targets;
    });
    const extras = ((mesh as { extras?: Record<string, unknown> }).extras ??= {});
    const names = slots.map(({ leaving: { name } }) => name);
    if (
      Array.isArray(extras.targetNames) ||
      names.some((name, i) => name !== character.morphs[slots[i].leaving.morph].name)
    )
      extras.targetNames = names;
    if (!isSame) remapWeights(writer, json, m, slots, count);
  });
}

/** The targets that a mesh will have: its own in their order, then those that were made. */
export function slotsOf(morphs: readonly Morph[], leaving: readonly LeavingMorph[], mesh: number): Slot[] {
  const slots = leaving.flatMap((each): Slot[] => {
    const from = morphs[each.morph].places[mesh];
    return from === undefined ? [] : [{ leaving: each, from }];
  });
  return slots.sort((a, b) => Number(a.leaving.isMade) - Number(b.leaving.isMade) || a.from - b.from);
}

function checkAllRead(morphs: readonly Morph[], mesh: number, count: number): void {
  const known = new Set(morphs.flatMap(({ places }) => places[mesh] ?? []));
  if (known.size < count)
    throw new CoreError(
      'file-unsupported',
      'A mesh has shapes that could not be read: they cannot be written with masks.',
    );
}

function targetOf(
  writer: BufferWriter,
  primitive: GltfPrimitive,
  { morphs, parts }: Character,
  part: number,
  { leaving: { morph, amounts }, from }: Slot,
): Record<string, number> {
  const own = primitive.targets?.[from] ?? {};
  const mask = part < 0 ? undefined : amounts?.get(part);
  const target = morphs[morph].targets.find((each) => each.part === part);
  if (!amounts || !target) return own;
  // A mask that was painted on other points holds nothing.
  const { pointCount } = parts[part];
  const share = mask?.length === pointCount ? mask : new Float32Array(pointCount);
  return maskedTarget(writer, target, share, parts[part].vertexPoint, parts[part].vertexCount);
}

function maskedTarget(
  writer: BufferWriter,
  { vertices, ...moves }: MorphTarget,
  mask: Float32Array,
  vertexPoint: Uint32Array,
  count: number,
): Record<string, number> {
  const kept = Uint32Array.from(vertices.keys()).filter((i) => mask[vertexPoint[vertices[i]]] > 0);
  const scaled = (of: Float32Array): Float32Array =>
    Float32Array.from({ length: kept.length * 3 }, (_, at) => {
      const i = kept[Math.floor(at / 3)];
      return mask[vertexPoint[vertices[i]]] * of[i * 3 + (at % 3)];
    });
  const at = kept.map((i) => vertices[i]);
  const out: Record<string, number> = {
    POSITION: appendSparse(writer, at, scaled(moves.positions), count, true),
  };
  if (moves.normals) out.NORMAL = appendSparse(writer, at, scaled(moves.normals), count);
  if (moves.tangents) out.TANGENT = appendSparse(writer, at, scaled(moves.tangents), count);
  return out;
}

/** Three numbers a vertex, zero but at those listed. */
function appendSparse(
  writer: BufferWriter,
  vertices: Uint32Array,
  values: Float32Array,
  count: number,
  withBounds = false,
): number {
  const bounds = { min: [0, 0, 0], max: [0, 0, 0] };
  if (vertices.length === count) {
    bounds.min.fill(Infinity);
    bounds.max.fill(-Infinity);
  }
  values.forEach((x, i) => {
    bounds.min[i % 3] = Math.min(bounds.min[i % 3], x);
    bounds.max[i % 3] = Math.max(bounds.max[i % 3], x);
  });
  return writer.appendSparse(
    { count, componentType: FLOAT, type: 'VEC3', ...(withBounds && bounds) },
    vertices,
    UNSIGNED_INT,
    values,
  );
}

/** Amounts at rest and in clips, of the targets that a mesh has now. */
function remapWeights(
  writer: BufferWriter,
  json: GltfJson,
  mesh: number,
  slots: readonly Slot[],
  count: number,
): void {
  const kept = new Set(slots.flatMap(({ leaving: { isMade }, from }) => (isMade ? [] : [from])));
  // What was made of a shape that is still there begins at nothing.
  const source = slots.map(({ leaving: { isMade }, from }) => (isMade && kept.has(from) ? -1 : from));
  const remapped = (weights: readonly number[]): number[] => source.map((from) => weights[from] ?? 0);
  const held = (json.meshes ?? [])[mesh] as { weights?: number[] };
  if (held.weights) held.weights = remapped(held.weights);
  if (slots.length === 0) delete held.weights;
  const nodes = (json.nodes ?? []) as (NonNullable<GltfJson['nodes']>[number] & { weights?: number[] })[];
  nodes.forEach((node) => {
    if (node.mesh !== mesh || !node.weights) return;
    node.weights = remapped(node.weights);
    if (slots.length === 0) delete node.weights;
  });
  for (const animation of json.animations ?? []) {
    const isOfMesh = ({ target }: GltfAnimation['channels'][number]): boolean =>
      target.path === 'weights' && target.node !== undefined && nodes[target.node].mesh === mesh;
    if (slots.length === 0) animation.channels = animation.channels.filter((channel) => !isOfMesh(channel));
    const own = animation.channels.filter(isOfMesh);
    const others = new Set(
      animation.channels.filter((each) => !isOfMesh(each)).map(({ sampler }) => sampler),
    );
    const written = new Map<number, number>();
    for (const channel of own) {
      const from = channel.sampler;
      let to = written.get(from);
      if (to === undefined) {
        const { output } = animation.samplers[from];
        const sampler = { ...animation.samplers[from], output: remapTrack(writer, output, source, count) };
        // One that other meshes go by as well stays as it is.
        to = others.has(from) ? animation.samplers.push(sampler) - 1 : from;
        animation.samplers[to] = sampler;
        written.set(from, to);
      }
      channel.sampler = to;
    }
  }
  // The format knows no clip that moves nothing.
  const moving = (json.animations ?? []).filter(({ channels }) => channels.length > 0);
  if (moving.length > 0) json.animations = moving;
  else delete json.animations;
}

/** @returns the accessor of a clip's amounts, of the targets that there are now: of each where it was, −1 for none */
function remapTrack(writer: BufferWriter, output: number, source: readonly number[], count: number): number {
  const values = writer.readFloats(output);
  if (!values)
    throw new CoreError(
      'file-unsupported',
      'A clip of shapes is compressed: its shapes cannot be made more or fewer.',
    );
  const out = new Float32Array((values.length / count) * source.length);
  for (let i = 0; i < out.length; i++) {
    const from = source[i % source.length];
    out[i] = from < 0 ? 0 : values[Math.floor(i / source.length) * count + from];
  }
  return writer.append(out, FLOAT, 'SCALAR', out.length);
}
