import type { Accessor } from '@gltf-transform/core';

type Numbers = Float32Array | Uint32Array | Uint16Array | Uint8Array | Int16Array | Int8Array;

/** The numbers of an accessor as they are kept; undefined where it has none, and all are zero. */
export const arrayOf = (accessor: Accessor): Numbers | undefined =>
  (accessor.getArray() as Numbers | null) ?? undefined;
