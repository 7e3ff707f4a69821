declare module 'draco3dgltf' {
  const draco3d: { createDecoderModule(): Promise<unknown> };
  export default draco3d;
}
