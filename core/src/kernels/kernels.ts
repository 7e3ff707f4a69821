import * as deform from '../deform/skin.ts';
import type { SkinArrays } from '../deform/skin.ts';
import * as dual from '../deform/skinDual.ts';
import type { DualPalette } from '../deform/skinDual.ts';
import * as strain from '../trial/strain.ts';
import type { Neighbours } from '../topology/topology.ts';
import { normalizeBatch, type RowBatch } from '../weights/rowBatch.ts';
import type { WeightRows } from '../weights/rows.ts';
import * as set from '../weights/setWeights.ts';
import type { PointList } from '../weights/setWeights.ts';
import * as smooth from '../weights/smooth.ts';
import * as ldl from '../solve/ldl.ts';
import type { LdlFactor, LdlWork } from '../solve/ldl.ts';
import { plainBindKernels, type BindKernels } from './bindKernels.ts';

/**
 * The hot loops behind one face, and the memory that they work on.
 *
 * Arrays passed to a kernel must come from the same kernel's `f32`, `u32`, `u16`, `u8` (the WebAssembly ones live in
 * its memory; the plain ones may live anywhere). Memory is handed out once and freed with the kernel as a whole.
 */
export interface Kernels extends BindKernels {
  readonly kind: 'wasm' | 'plain';
  f64(length: number): Float64Array;
  f32(length: number): Float32Array;
  i32(length: number): Int32Array;
  i16(length: number): Int16Array;
  u32(length: number): Uint32Array;
  u16(length: number): Uint16Array;
  u8(length: number): Uint8Array;
  /** Empty weight rows in the kernel's memory. */
  rows(pointCount: number, stride: number): WeightRows;
  /** Bytes handed out so far. */
  readonly bytesUsed: number;

  skinRange(arrays: SkinArrays, from: number, to: number): void;
  skinList(arrays: SkinArrays, list: PointList): void;
  skinSlots(arrays: SkinArrays, list: PointList, slots: Uint32Array): void;
  skinDualRange(arrays: SkinArrays, dual: DualPalette, from: number, to: number): void;
  skinDualSlots(arrays: SkinArrays, dual: DualPalette, list: PointList, slots: Uint32Array): void;
  strainEdges(edges: Uint32Array, rest: Float32Array, positions: Float32Array, out: Float32Array): void;
  strainFaces(
    triangles: Uint32Array,
    rest: Float32Array,
    positions: Float32Array,
    normals: Float32Array,
    out: Float32Array,
  ): void;
  strainPoints(edges: Uint32Array, strains: Float32Array, out: Float32Array): void;
  setWeights(
    rows: WeightRows,
    list: PointList,
    targets: Float32Array,
    joint: number,
    limit: number,
    locks: Uint8Array,
    status: Uint8Array,
  ): void;
  /** Normalizes the first `count` rows of a batch; see {@link RowBatch}. */
  normalizeBatch(batch: RowBatch, count: number, fixed: number, locks: Uint8Array): void;
  readColumn(rows: WeightRows, joint: number, out: Float32Array): void;
  smoothTargets(
    list: PointList,
    column: Float32Array,
    neighbours: Neighbours,
    amounts: Float32Array,
    targets: Float32Array,
  ): void;
  smoothRows(
    src: WeightRows,
    dst: WeightRows,
    list: PointList,
    neighbours: Neighbours,
    amounts: Float32Array,
    limit: number,
    locks: Uint8Array,
    status: Uint8Array,
  ): void;
  ldlColumns(factor: LdlFactor, work: LdlWork, from: number, to: number): number;
  ldlSolve(factor: LdlFactor, sides: Float64Array, quiet: Uint8Array, tiny: number): void;
}

/** The plain TypeScript kernels: the tests' oracle, and the fallback where WebAssembly SIMD is missing. */
export function createPlainKernels(): Kernels {
  let bytesUsed = 0;
  const count = <T extends ArrayBufferView>(array: T): T => {
    bytesUsed += array.byteLength;
    return array;
  };
  const kernels: Kernels = {
    kind: 'plain',
    get bytesUsed() {
      return bytesUsed;
    },
    f64: (length) => count(new Float64Array(length)),
    f32: (length) => count(new Float32Array(length)),
    i32: (length) => count(new Int32Array(length)),
    i16: (length) => count(new Int16Array(length)),
    u32: (length) => count(new Uint32Array(length)),
    u16: (length) => count(new Uint16Array(length)),
    u8: (length) => count(new Uint8Array(length)),
    rows: (pointCount, stride) => ({
      pointCount,
      stride,
      joints: kernels.u16(pointCount * stride),
      values: kernels.f32(pointCount * stride),
    }),
    skinRange: deform.skinRange,
    skinList: deform.skinList,
    skinSlots: deform.skinSlots,
    skinDualRange: dual.skinDualRange,
    skinDualSlots: dual.skinDualSlots,
    strainEdges: strain.strainEdges,
    strainFaces: strain.strainFaces,
    strainPoints: strain.strainPoints,
    setWeights: set.setWeights,
    normalizeBatch,
    readColumn: set.readColumn,
    smoothTargets: smooth.smoothTargets,
    smoothRows: smooth.smoothRows,
    ldlColumns: ldl.ldlColumns,
    ldlSolve: ldl.ldlSolve,
    ...plainBindKernels,
  };
  return kernels;
}
