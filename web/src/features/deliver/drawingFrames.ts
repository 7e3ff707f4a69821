import { frameCount, frameSeconds, sampleClip, type Clip } from '@judoka/core/animation';
import { createDualPalette, deformerOf } from '@judoka/core/deform';
import type { Drawing } from '@judoka/core/drawing';
import { writeSvg, type PosedLayer } from '@judoka/core/formats';
import { PLAIN_MEMORY } from '@judoka/core/memory';
import type { Pose } from '@judoka/core/skeleton';
import { zipSync, type Zippable } from 'fflate';
import type { Editing } from '../../scene/Editing.ts';

/** More would be a film, not a sequence of drawings. */
export const MAX_FRAMES = 2000;
/** The page goes on after so long. */
const TURN_MS = 40;

/**
 * A clip as drawings, one a frame, numbered from 1, in a zip file.
 *
 * @param watch told how far it is
 * @throws DOMException `AbortError` when it is stopped
 */
export async function drawFrames(
  at: Editing,
  drawing: Drawing,
  clip: Clip,
  watch: (share: number) => void,
  signal: AbortSignal,
): Promise<Uint8Array<ArrayBuffer>> {
  const count = Math.min(MAX_FRAMES, frameCount(clip));
  const digits = Math.max(4, String(count).length);
  const files: Zippable = {};
  let begun = performance.now();
  for (let frame = 0; frame < count; frame++) {
    const pose = at.document.knownJoints(sampleClip(clip, frameSeconds(clip, frame)));
    const layers = posedLayers(at, pose);
    files[`${String(frame + 1).padStart(digits, '0')}.svg`] = new TextEncoder().encode(
      writeSvg(drawing, layers, at.scene.orderIn(pose)),
    );
    if (performance.now() - begun < TURN_MS) continue;
    watch(frame / count);
    await new Promise((resolve) => setTimeout(resolve));
    signal.throwIfAborted();
    begun = performance.now();
  }
  return zipSync(files, { level: 6 });
}

/** The layers that are shown, in a pose; computed beside the stage, which stays as it is. */
function posedLayers({ document, scene }: Editing, pose: Pose): (PosedLayer | undefined)[] {
  const { bound } = document;
  const world = new Float32Array(bound.jointCapacity * 16);
  bound.pose(pose, world);
  const plain = deformerOf(scene.deformer.skinning, PLAIN_MEMORY);
  return scene.parts.map(({ index, part, skin, visible }) => {
    if (!visible) return undefined;
    const palette = new Float32Array(skin.palette.length);
    bound.palette(index, world, palette);
    const positions = new Float32Array(part.positions.length);
    const normals = new Float32Array(part.positions.length);
    const dual = createDualPalette(bound.jointCapacity);
    plain.prepare(palette, dual);
    plain.skinRange({ ...skin, palette, positions, normals }, dual, 0, part.pointCount);
    return { vertexPoint: part.vertexPoint, rest: part.positions, posed: positions };
  });
}
