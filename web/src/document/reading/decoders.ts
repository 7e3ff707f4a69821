import type { Decoders } from '@judoka/core/formats';

/** Decoders of compressed glTF, fetched when a file first needs them. */
export const decoders: Decoders = {
  draco: async () => {
    const [{ default: createDecoder }, { default: address }] = await Promise.all([
      import('draco3dgltf/draco_decoder_gltf_nodejs.js'),
      import('draco3dgltf/draco_decoder_gltf.wasm?url'),
    ]);
    const wasmBinary = await (await fetch(address)).arrayBuffer();
    return createDecoder({ wasmBinary });
  },
};
