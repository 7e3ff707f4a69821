declare module 'draco3dgltf/draco_decoder_gltf_nodejs.js' {
  export default function createDecoder(options: { wasmBinary: ArrayBuffer }): Promise<unknown>;
}
declare module 'draco3dgltf/draco_decoder_gltf.wasm?url' {
  const address: string;
  export default address;
}
