// Runs one heavy job in a thread of its own, so that the server goes on answering.
import { parentPort, workerData } from 'node:worker_threads';
import { decodeRows, encodeRows } from '@judoka/contract';
import { buildPalette, type JointSetups, restWorld } from '@judoka/core/skeleton';
import {
  checkInput,
  describe,
  listArrivalFindings,
  listWeightTroubles,
  skinnedRows,
} from '@judoka/core/analysis/checkUp';
import { CoreError } from '@judoka/core/errors';
import { createPlainMemory } from '@judoka/core/memory';
import { drawPicture } from '@judoka/core/analysis/picture';
import { exportCharacter, openGlb, readCharacter, writeGlb } from '@judoka/core/formats';
import type { Character } from '@judoka/core/document';
import { PNG } from 'pngjs';
import { decoders } from './decoders.ts';
import type { HeavyAnswer, HeavyJob, Imported } from './heavy.ts';
import { skinKernels } from '@judoka/core/deform';

const PICTURE_WIDTH = 480;
const PICTURE_HEIGHT = 360;

async function importGlb(bytes: Uint8Array): Promise<Imported> {
  const character = await readCharacter(openGlb(bytes), decoders);
  const { parts, joints } = describe(character);
  return {
    summary: {
      parts: parts.length,
      points: parts.reduce((sum, part) => sum + part.points, 0),
      joints,
      troubles: listWeightTroubles(skinnedRows(character, character.rows)),
      arrival: [...listArrivalFindings(character), ...character.notes],
      skinned: character.parts.map(({ role }) => role === 'skinned'),
    },
    still: [...checkInput(character, {}).roots],
    weights: encodeRows(character.rows),
    picture: picture(character),
  };
}

/** The character at rest as a PNG. */
function picture(character: Character): Uint8Array {
  const memory = createPlainMemory();
  const world = restWorld(character.skeleton);
  const meshes = character.parts.map((part, index) => {
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
  const { width, height, pixels } = drawPicture(meshes, PICTURE_WIDTH, PICTURE_HEIGHT);
  const png = new PNG({ width, height });
  png.data = Buffer.from(pixels.buffer, pixels.byteOffset, pixels.byteLength);
  return PNG.sync.write(png);
}

async function exportGlb(source: Uint8Array, weights: Uint8Array, setups: JointSetups): Promise<Uint8Array> {
  const container = openGlb(source);
  const character = await readCharacter(container, decoders);
  return writeGlb(exportCharacter(container, character, decodeRows(weights), { setups }));
}

async function answer(job: HeavyJob): Promise<HeavyAnswer> {
  try {
    if (job.kind === 'import') return { ok: true, result: await importGlb(job.bytes) };
    return { ok: true, result: await exportGlb(job.source, job.weights, job.setups) };
  } catch (error) {
    if (!(error instanceof CoreError)) throw error;
    return { ok: false, code: error.code, message: error.message, detail: error.detail };
  }
}

parentPort?.postMessage(await answer(workerData as HeavyJob));
