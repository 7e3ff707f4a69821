// What a thread of files does, so that the server goes on answering.
import { decodeMask, decodeRows, encodeRows } from '@judoka/contract';
import { buildPalette, REST_POSE, restWorld } from '@judoka/core/skeleton';
import {
  checkInput,
  describe,
  leftOutJoints,
  listArrivalFindings,
  listWeightTroubles,
  skinnedRows,
} from '@judoka/core/analysis/checkUp';
import { createPlainMemory } from '@judoka/core/memory';
import { drawDrawing, drawPicture } from '@judoka/core/analysis/picture';
import { poseClip, putMotion, type Clip } from '@judoka/core/animation';
import {
  asGlb,
  deliverCharacter,
  deliveryLosses,
  leavingMorphs,
  type Leaving,
  relaidDrawing,
  relaidMeshes,
  openGlb,
  readBvh,
  readCharacter,
  zip,
} from '@judoka/core/formats';
import {
  layersInOrder,
  withAddedAmounts,
  withJointSetups,
  withRibbonTracks,
  type Character,
  type Delivery,
} from '@judoka/core/document';
import { weightedJoints, type WeightRows } from '@judoka/core/weights';
import { decoders } from './decoders.ts';
import { encodePng } from './png.ts';
import { asFailure, type Outcome } from '../http/outcome.ts';
import type { ExportedFile, ExportJob, Imported } from './FileThreads.ts';
import { skinKernels } from '@judoka/core/deform';

const PICTURE_WIDTH = 480;
const PICTURE_HEIGHT = 360;

async function read(bytes: Uint8Array): Promise<Imported> {
  const source = asGlb(bytes);
  const character = await readCharacter(openGlb(source), decoders);
  const { parts, joints } = describe(character);
  return {
    ...(source !== bytes && { source }),
    summary: {
      parts: parts.length,
      points: parts.reduce((sum, part) => sum + part.points, 0),
      joints,
      troubles: listWeightTroubles(skinnedRows(character, character.rows)),
      arrival: [...listArrivalFindings(character), ...character.notes],
      skinned: character.parts.map(({ role }) => role === 'skinned'),
    },
    skeleton: character.skeleton.joints,
    nonDeforming: [...leftOutJoints(character)],
    weights: encodeRows(character.rows),
    picture: picture(character),
  };
}

/** The character at rest as a PNG. */
function picture(character: Character): Uint8Array {
  const { drawing, parts } = character;
  if (drawing) return encodePng(drawDrawing(drawing, parts, PICTURE_WIDTH, PICTURE_HEIGHT));
  const memory = createPlainMemory();
  const world = restWorld(character.skeleton);
  const meshes = parts.map((part, index) => {
    const palette = new Float32Array(world.length + 16);
    buildPalette(world, part.inverseBinds, palette);
    const positions = new Float32Array(part.positions.length);
    const normals = new Float32Array(part.positions.length);
    const arrays = {
      rest: part.positions,
      restNormals: part.normals,
      rows: character.rows[index],
      palette,
      positions,
      normals,
    };
    skinKernels(memory).skinRange(arrays, 0, part.pointCount);
    return { positions, normals, triangles: part.triangles };
  });
  return encodePng(drawPicture(meshes, PICTURE_WIDTH, PICTURE_HEIGHT));
}

async function write(job: ExportJob): Promise<ExportedFile> {
  const {
    source,
    weights,
    setups,
    skinned,
    delivery,
    shapes,
    order,
    motions,
    poses,
    name,
    at,
    morphs,
    ribbons,
  } = job;
  const file = openGlb(source);
  const came = await readCharacter(file, decoders);
  // Cages stand behind the parts of the file, and stay here.
  const drawn = await relaidDrawing(
    { container: file, character: came, rows: decodeRows(weights).slice(0, came.parts.length) },
    shapes.outlines,
  );
  const { rows } = drawn;
  const { container, character } = await relaidMeshes(drawn.container, drawn.character, shapes, decoders);
  const now = withJointSetups(character, setups);
  const carried = (clip: Clip): Clip => withRibbonTracks(clip, now.skeleton, ribbons);
  const clips = [
    ...clipsOf(now, rows, motions),
    ...poses.map(({ name: of, joints }) => poseClip(of, joints)),
  ].map(carried);
  const moreTracks = now.clips.map((clip) => carried(clip).tracks.slice(clip.tracks.length));
  const layers = layersInOrder(rows.length, { order, orderRules: [] }, REST_POSE);
  const masks = new Map(morphs.masks.map(({ id, bytes }) => [id, maskOn(character, decodeMask(bytes))]));
  const shaped = leavingMorphs(character, morphs.saved, (id) => masks.get(id));
  const leaving: Leaving = {
    ...{ container, character, rows },
    options: { setups, skinned, welds: shapes.welds, clips, moreTracks, ...(shaped && { morphs: shaped }) },
    ...(character.drawing && { drawn: { now, order: layers } }),
  };
  const { main, files } = await deliverCharacter(leaving, delivery, name, { decoders, at });
  const only = files.size === 1 ? files.get(main) : undefined;
  return only ? { name: main, bytes: only } : { name: `${name}.zip`, bytes: zip(files) };
}

/** A mask, with points that were added since it was painted. */
const maskOn = (
  { parts }: Character,
  mask: ReadonlyMap<number, Float32Array>,
): ReadonlyMap<number, Float32Array> =>
  new Map(
    [...mask]
      .filter(([part]) => part < parts.length)
      .map(([part, amounts]) => [part, withAddedAmounts(amounts, parts[part])]),
  );

/** Motions that were brought in, on the character's joints as they are now. */
function clipsOf(character: Character, rows: readonly WeightRows[], motions: ExportJob['motions']): Clip[] {
  if (motions.length === 0) return [];
  const { skeleton } = character;
  const { pairs } = checkInput(character, { rows });
  const weighted = weightedJoints(rows, skeleton.joints.length);
  return motions.flatMap(({ name, bytes, follows }) => {
    const bvh = readBvh(new TextDecoder().decode(bytes));
    return putMotion({ skeleton, pairs, weighted }, bvh, name, { follows }).clip ?? [];
  });
}

async function answer<T>(work: () => Promise<T>): Promise<Outcome<T>> {
  try {
    return { ok: true, value: await work() };
  } catch (error) {
    return asFailure(error);
  }
}

export const importFile = (bytes: Uint8Array): Promise<Outcome<Imported>> => answer(() => read(bytes));

export const exportFile = (job: ExportJob): Promise<Outcome<ExportedFile>> => answer(() => write(job));

export const findLosses = ({
  source,
  format,
}: {
  source: Uint8Array;
  format: Delivery['format'];
}): Promise<Outcome<string[]>> => answer(() => Promise.resolve(deliveryLosses(openGlb(source), { format })));
