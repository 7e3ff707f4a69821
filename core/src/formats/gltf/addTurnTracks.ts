import {
  type Clip,
  frameCount,
  frameSeconds,
  sampleClip,
  sampleKeys,
  INTERPOLATIONS,
} from '../../animation/clip.ts';
import { shareAt, turnAngle, type TurnRange } from '../../deform/morph/turns.ts';
import type { Character } from '../../document/character.ts';
import { buildPalette, poseWorld } from '../../skeleton/pose.ts';
import { appendTimes, type WrittenClip } from './addClips.ts';
import { type BufferWriter, FLOAT } from './bufferWriter.ts';
import type { GltfAnimation, GltfJson } from './gltfJson.ts';
import { type LeavingMorph, type Slot, slotsOf } from './writeMorphs.ts';

type Weighted = { readonly weights?: readonly number[]; readonly mesh?: number };

/**
 * Adds to clips what shapes do that go on by a joint's turn: a key a frame, on top of what the clip does with them already. The
 * format knows amounts of shapes, not turns. A clip in which none of them goes on says so too: another one may have been played
 * before it.
 *
 * @param character as it goes out, its joints as they are set up
 * @param leaving   the shapes, once they are written
 */
export function addTurnTracks(
  writer: BufferWriter,
  json: GltfJson,
  character: Character,
  clips: readonly WrittenClip[],
  leaving: readonly LeavingMorph[],
): void {
  if (!leaving.some(({ turn }) => turn && isThere(character, turn))) return;
  const meshes = (json.meshes ?? []).map((_, m) =>
    character.parts.some(({ source }) => source.mesh === m) ? slotsOf(character.morphs, leaving, m) : [],
  );
  for (const { animation, clip } of clips) {
    const times = Float32Array.from({ length: frameCount(clip) }, (_, frame) => frameSeconds(clip, frame));
    const shares = sharesOf(character, clip, times, leaving);
    let input = -1;
    (json.nodes ?? []).forEach(({ mesh = -1 }, node) => {
      const slots = meshes.at(mesh) ?? [];
      if (mesh < 0 || !slots.some(({ leaving: each }) => shares.has(each))) return;
      if (input < 0) input = appendTimes(writer, json, times);
      addWeights(writer, json, { animation, node, slots, times, input, shares });
    });
  }
}

const isThere = ({ skeleton }: Character, { joint }: TurnRange): boolean =>
  skeleton.joints.at(joint)?.removed !== true && joint < skeleton.joints.length;

/** By shape that goes on by a turn, how much of it that adds at each time. */
function sharesOf(
  character: Character,
  clip: Clip,
  times: Float32Array,
  leaving: readonly LeavingMorph[],
): Map<LeavingMorph, Float32Array> {
  const { skeleton } = character;
  const world = new Float32Array(skeleton.joints.length * 16);
  const turning = leaving.flatMap((each) => {
    if (!each.turn || !isThere(character, each.turn)) return [];
    // A turn is one against where the joints bind the part that the shape moves, as on the stage.
    const part = character.morphs[each.morph].targets.at(0)?.part ?? 0;
    const { inverseBinds } = character.parts[part];
    const palette = new Float32Array(inverseBinds.length);
    return [{ each, turn: each.turn, inverseBinds, palette, out: new Float32Array(times.length) }];
  });
  times.forEach((seconds, frame) => {
    poseWorld(skeleton, sampleClip(clip, seconds), world);
    for (const { turn, inverseBinds, palette, out } of turning) {
      buildPalette(world, inverseBinds, palette);
      const angle = turnAngle(palette, inverseBinds, turn, skeleton.joints[turn.joint].parent);
      out[frame] = shareAt(turn, angle);
    }
  });
  return new Map(turning.map(({ each, out }) => [each, out]));
}

interface WeightTrack {
  readonly animation: GltfAnimation;
  readonly node: number;
  readonly slots: readonly Slot[];
  readonly times: Float32Array;
  /** The accessor of the times. */
  readonly input: number;
  readonly shares: ReadonlyMap<LeavingMorph, Float32Array>;
}

/** One node's amounts in a clip: as they were there, with what is added. */
function addWeights(writer: BufferWriter, json: GltfJson, track: WeightTrack): void {
  const { animation, node, slots, times, input, shares } = track;
  const known = animation.channels.find(({ target }) => target.node === node && target.path === 'weights');
  const before = amountsBefore(writer, json, track, known);
  if (!before) return;
  const out = new Float32Array(times.length * slots.length);
  times.forEach((seconds, frame) => {
    before(seconds).forEach((amount, i) => {
      out[frame * slots.length + i] = amount + (shares.get(slots[i].leaving)?.[frame] ?? 0);
    });
  });
  const output = writer.append(out, FLOAT, 'SCALAR', out.length);
  animation.samplers.push({ input, output, interpolation: 'LINEAR' });
  const sampler = animation.samplers.length - 1;
  if (known) known.sampler = sampler;
  else animation.channels.push({ sampler, target: { node, path: 'weights' } });
}

/** What a node's amounts are in a clip as it is; undefined where its numbers cannot be read. */
function amountsBefore(
  writer: BufferWriter,
  json: GltfJson,
  { animation, node, slots }: WeightTrack,
  known: GltfAnimation['channels'][number] | undefined,
): ((seconds: number) => number[]) | undefined {
  if (!known) {
    const { weights, mesh = -1 } = (json.nodes ?? [])[node] as Weighted;
    const held = weights ?? ((json.meshes ?? []) as readonly Weighted[]).at(mesh)?.weights ?? [];
    return () => slots.map((_, i) => held[i] ?? 0);
  }
  const { input, output, interpolation: written } = animation.samplers[known.sampler];
  const [times, values] = [writer.readFloats(input), writer.readFloats(output)];
  if (!times || !values || times.length === 0) return undefined;
  const interpolation = INTERPOLATIONS.find((one) => one === written) ?? 'LINEAR';
  return (seconds) => sampleKeys({ interpolation, times, values }, slots.length, seconds);
}
