declare module 'gltf-validator' {
  /** The report of the glTF validator; its shape is described by the package's validation.schema.json. */
  export function validateBytes(bytes: Uint8Array, options?: { maxIssues?: number }): Promise<object>;
}
