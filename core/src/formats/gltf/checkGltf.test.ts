import { expect, test } from '@jest/globals';
import { checkGltf } from './checkGltf.ts';
import type { GltfContainer } from './container.ts';

/** A file that says how many vertices its primitives have, and carries none. */
function claiming(counts: readonly number[], isCompressed: boolean): GltfContainer {
  const json = {
    asset: { version: '2.0' },
    accessors: counts.map((count) => ({ componentType: 5126, type: 'VEC3', count })),
    meshes: counts.map((_, i) => ({
      primitives: [
        {
          attributes: { POSITION: i },
          ...(isCompressed && {
            extensions: { KHR_draco_mesh_compression: { bufferView: 0, attributes: { POSITION: 0 } } },
          }),
        },
      ],
    })),
    buffers: [{ byteLength: 4 }],
    bufferViews: [{ buffer: 0, byteLength: 4 }],
  };
  return { json, buffers: [new Uint8Array(4)], images: new Map() };
}

test.each([
  [[2_250_000], true, /2,250,000 compressed vertices; at most 1,500,000/],
  [[900_000, 900_000], true, /1,800,000 compressed vertices/],
])('%p vertices are refused before anything is decoded', (counts, isCompressed, words) => {
  expect(() => checkGltf(claiming(counts, isCompressed))).toThrow(words);
});

test('as many as a character has are taken', () => {
  expect(() => checkGltf(claiming([126_000, 300_000], true))).not.toThrow();
});
