import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, test } from '@jest/globals';
import type { Document } from '@gltf-transform/core';
import { WebIO } from '@gltf-transform/core';
import {
  EXTMeshoptCompression,
  KHRDracoMeshCompression,
  KHRMeshQuantization,
} from '@gltf-transform/extensions';
import { copyRow, createRows, weightOf } from '@judoka/core/weights';
import { describe as figuresOf } from '@judoka/core/analysis/checkUp';
import { exportCharacter, openGlb, readCharacter, writeGlb } from '@judoka/core/formats';
import { makeFerryKeeper } from '@judoka/demo';
import { validateBytes } from 'gltf-validator';
import draco3d from 'draco3dgltf';
import { MeshoptDecoder, MeshoptEncoder } from 'meshoptimizer';
import { decoders, openFile } from './files.ts';

const folder = mkdtempSync(join(tmpdir(), 'judoka-compressed-'));
let plain: Uint8Array;
afterAll(() => rmSync(folder, { recursive: true, force: true }));

async function ioWithEverything(): Promise<WebIO> {
  await MeshoptEncoder.ready;
  return new WebIO()
    .setLogger({ debug() {}, info() {}, warn() {}, error() {} })
    .registerExtensions([EXTMeshoptCompression, KHRDracoMeshCompression, KHRMeshQuantization])
    .registerDependencies({
      'draco3d.encoder': await draco3d.createEncoderModule(),
      'draco3d.decoder': await draco3d.createDecoderModule(),
      'meshopt.encoder': MeshoptEncoder,
      'meshopt.decoder': MeshoptDecoder,
    });
}

/** The ferry-keeper, rewritten by another program's means. */
async function rewritten(change: (document: Document) => void): Promise<Uint8Array> {
  const io = await ioWithEverything();
  const document = await io.readBinary(plain);
  change(document);
  return io.writeBinary(document);
}

beforeAll(async () => {
  plain = await makeFerryKeeper({ size: 'small', faults: false });
});

const kinds: Record<string, (document: Document) => void> = {
  draco: (document) => {
    document.createExtension(KHRDracoMeshCompression).setRequired(true).setEncoderOptions({
      method: KHRDracoMeshCompression.EncoderMethod.SEQUENTIAL,
      encodeSpeed: 5,
      decodeSpeed: 5,
    });
  },
  meshopt: (document) => {
    document.createExtension(EXTMeshoptCompression).setRequired(true);
  },
  quantized: (document) => {
    document.createExtension(KHRMeshQuantization).setRequired(true);
    for (const mesh of document.getRoot().listMeshes()) {
      for (const primitive of mesh.listPrimitives()) {
        const weights = primitive.getAttribute('WEIGHTS_0');
        const floats = (weights?.getArray() ?? new Float32Array(0)) as Float32Array;
        // Whole numbers out of 65535, each row made to sum to it exactly.
        const whole = Uint16Array.from(floats, (w) => Math.round(w * 65535));
        for (let v = 0; v < whole.length; v += 4)
          whole[v] += 65535 - (whole[v] + whole[v + 1] + whole[v + 2] + whole[v + 3]);
        weights?.setArray(whole).setNormalized(true);
      }
    }
  },
  sparse: (document) => {
    for (const mesh of document.getRoot().listMeshes()) {
      for (const primitive of mesh.listPrimitives()) primitive.getAttribute('WEIGHTS_0')?.setSparse(true);
    }
  },
};

describe.each(Object.keys(kinds))('%s data', (kind) => {
  const path = join(folder, `${kind}.glb`);
  beforeAll(async () => writeFileSync(path, await rewritten(kinds[kind])));

  test('is read as the same character', async () => {
    const character = await readCharacter(openFile(path), decoders);
    const expected = figuresOf(await readCharacter(openGlb(plain)));
    const { parts, joints, clips } = figuresOf(character);
    expect({ joints, clips }).toEqual({ joints: expected.joints, clips: expected.clips });
    expect(parts.map(({ name, islands, unweighted }) => ({ name, islands, unweighted }))).toEqual(
      expected.parts.map(({ name, islands, unweighted }) => ({ name, islands, unweighted })),
    );
    if (kind !== 'draco')
      expect(parts.map(({ points }) => points)).toEqual(expected.parts.map(({ points }) => points));
    for (const part of parts) expect(part.sumMin).toBeGreaterThan(0.99);
  });

  test('takes an edit and validates', async () => {
    const container = openFile(path);
    const character = await readCharacter(container, decoders);
    const rows = character.rows.map((from) => {
      const copy = createRows(from.pointCount, from.stride);
      for (let p = 0; p < from.pointCount; p++) copyRow(from, p, copy, p);
      return copy;
    });
    const whole = createRows(1, 8);
    whole.joints[0] = 7;
    whole.values[0] = 1;
    copyRow(whole, 0, rows[0], 500);
    const bytes = writeGlb(exportCharacter(container, character, rows));
    const report = (await validateBytes(bytes)) as {
      issues: { numErrors: number; messages: { code: string; severity: number }[] };
    };
    expect(report.issues.messages.filter(({ severity }) => severity === 0)).toEqual([]);
    const back = await readCharacter(openGlb(bytes), decoders);
    expect(weightOf(back.rows[0], 500, 7)).toBe(1);
    // Its neighbours in the file say what they said.
    for (const p of [499, 501])
      for (let j = 0; j < 60; j++)
        expect(weightOf(back.rows[0], p, j)).toBeCloseTo(weightOf(character.rows[0], p, j), 5);
  });
});

test('without a decoder at hand a compressed file is refused by name', async () => {
  const bytes = await rewritten(kinds.draco);
  await expect(readCharacter(openGlb(bytes))).rejects.toMatchObject({
    code: 'file-unsupported',
    message: expect.stringMatching(/KHR_draco_mesh_compression/),
  });
});
