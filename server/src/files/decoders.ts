import type { Decoders } from '@judoka/core/formats';

/** Decoders of compressed glTF, loaded when a file first needs them. */
export const decoders: Decoders = {
  draco: async () => {
    const { default: draco3d } = await import('draco3dgltf');
    return draco3d.createDecoderModule();
  },
};
