import type { Accessor } from '@gltf-transform/core';

type Numbers = Float32Array | Uint32Array | Uint16Array | Uint8Array | Int16Array | Int8Array;

/** The numbers of an accessor as they are kept; undefined where it has none, and all are zero. */
export const arrayOf = (accessor: Accessor): Numbers | undefined =>
  (accessor.getArray() as Numbers | null) ?? undefined;

/** An accessor's numbers as f32, quantized ones decoded (glTF 2.0 specification, section 3.6.2.2). */
export function decoded(accessor: Accessor): Float32Array {
  const array = arrayOf(accessor);
  if (!array) return new Float32Array(accessor.getCount() * accessor.getElementSize());
  if (array instanceof Float32Array) return array;
  const result = new Float32Array(array.length);
  const size = accessor.getElementSize();
  const element: number[] = [];
  for (let i = 0; i < accessor.getCount(); i++) {
    accessor.getElement(i, element);
    for (let k = 0; k < size; k++) result[i * size + k] = element[k];
  }
  return result;
}
