import { describe, expect, test } from '@jest/globals';
import { openGlb, openGltf, writeGlb, writeGltf, type GltfContainer } from './container.ts';
import type { GltfJson } from './gltfJson.ts';
import { testContainer } from './testGlb.ts';

const text = (json: unknown): Uint8Array => new TextEncoder().encode(JSON.stringify(json));

/** The test leg as a `.gltf` whose one buffer is cut in two files. */
function inTwoFiles(): { json: GltfJson; files: Map<string, Uint8Array> } {
  const { json, buffers } = testContainer();
  const copy = JSON.parse(JSON.stringify(json)) as GltfJson;
  const views = copy.bufferViews ?? [];
  const cut = views[2].byteOffset ?? 0;
  copy.buffers = [
    { byteLength: cut, uri: 'first part.bin' },
    { byteLength: buffers[0].length - cut, uri: 'second.bin' },
  ];
  for (const view of views.slice(2)) {
    view.buffer = 1;
    view.byteOffset = (view.byteOffset ?? 0) - cut;
  }
  const files = new Map([
    ['first part.bin', buffers[0].slice(0, cut)],
    ['second.bin', buffers[0].slice(cut)],
  ]);
  copy.buffers[0].uri = 'first%20part.bin';
  return { json: copy, files };
}

/** What each buffer view holds, wherever it lies. */
function contents({ json, buffers }: GltfContainer): string[] {
  return (json.bufferViews ?? []).map(({ buffer, byteOffset = 0, byteLength }) =>
    buffers[buffer].subarray(byteOffset, byteOffset + byteLength).join(),
  );
}

describe('a .gltf and its files', () => {
  test('are packed into one .glb with every view where it was', () => {
    const { json, files } = inTwoFiles();
    const opened = openGltf(text(json), (uri) => files.get(uri));
    const packed = openGlb(writeGlb(opened));
    expect(packed.buffers).toHaveLength(1);
    expect(contents(packed)).toEqual(contents(testContainer()));
  });

  test('a picture beside it is packed in too', () => {
    const { json, files } = inTwoFiles();
    json.images = [{ uri: 'skin.png' }];
    files.set('skin.png', Uint8Array.of(1, 2, 3, 4, 5));
    const packed = openGlb(writeGlb(openGltf(text(json), (uri) => files.get(uri))));
    const image = packed.json.images?.[0];
    expect(image).toEqual({ mimeType: 'image/png', bufferView: 5 });
    expect(contents(packed)[5]).toBe('1,2,3,4,5');
  });

  test('data uris are read in place', () => {
    const { json, buffers } = testContainer();
    const copy = JSON.parse(JSON.stringify(json)) as GltfJson;
    (copy.buffers ?? [])[0].uri =
      `data:application/octet-stream;base64,${Buffer.from(buffers[0]).toString('base64')}`;
    expect(contents(openGltf(text(copy), () => undefined))).toEqual(contents(testContainer()));
  });

  test('a file that is missing or too short is named', () => {
    const { json, files } = inTwoFiles();
    files.delete('second.bin');
    expect(() => openGltf(text(json), (uri) => files.get(uri))).toThrow(/“second.bin” \(buffers\[1\]\)/);
    files.set('second.bin', new Uint8Array(3));
    expect(() => openGltf(text(json), (uri) => files.get(uri))).toThrow(
      expect.objectContaining({ code: 'file-truncated' }),
    );
  });
});

test('written as .gltf, it names its one binary', () => {
  const { text: written, binary } = writeGltf(testContainer(), 'my leg.bin');
  const json = JSON.parse(written) as GltfJson;
  expect(json.buffers?.[0].uri).toBe('my%20leg.bin');
  expect(contents(openGltf(text(json), () => binary))).toEqual(contents(testContainer()));
});

test('a buffer that only stands in for compressed data stays one, behind the real one', () => {
  const container = testContainer();
  const json = JSON.parse(JSON.stringify(container.json)) as GltfJson;
  const fallback = { byteLength: 64, extensions: { EXT_meshopt_compression: { fallback: true } } };
  json.buffers = [fallback, ...(json.buffers ?? [])];
  for (const view of json.bufferViews ?? []) view.buffer = 1;
  (json.bufferViews ?? []).push({
    buffer: 0,
    byteLength: 64,
    extensions: { EXT_meshopt_compression: { buffer: 1, byteOffset: 8, byteLength: 16 } },
  });
  const packed = openGlb(
    writeGlb({ json, buffers: [new Uint8Array(0), container.buffers[0]], images: new Map() }),
  );
  const view = (packed.json.bufferViews ?? [])[5];
  expect(packed.json.buffers?.map(({ byteLength }) => byteLength)).toEqual([container.buffers[0].length, 64]);
  expect(view.buffer).toBe(1);
  expect(view.extensions?.EXT_meshopt_compression).toEqual({ buffer: 0, byteOffset: 8, byteLength: 16 });
});

test('unknown chunks of a .glb are skipped', () => {
  const glb = writeGlb(testContainer());
  const longer = new Uint8Array(glb.length + 12);
  longer.set(glb);
  const view = new DataView(longer.buffer);
  view.setUint32(8, longer.length, true);
  view.setUint32(glb.length, 4, true);
  view.setUint32(glb.length + 4, 0x45544f4e, true);
  expect(contents(openGlb(longer))).toEqual(contents(testContainer()));
});
