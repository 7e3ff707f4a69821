import { decodeRows } from '@judoka/contract';
import { withShapes, type CharacterPart, type ShapeSettings } from '@judoka/core/document';
import { CoreError } from '@judoka/core/errors';
import { asGlb, openGlb, readCharacter } from '@judoka/core/formats';
import {
  movedPlaces,
  prepareTransfer,
  readSource,
  transferWeights,
  type PreparedTransfer,
  type TransferReport,
  type TransferRequest,
  type TransferSource,
} from '@judoka/core/operations/transfer';
import { withSetups, type JointSetups, type Skeleton } from '@judoka/core/skeleton';
import { jointMass, type Change, type WeightRows } from '@judoka/core/weights';
import * as Comlink from 'comlink';
import { decoders } from '../../document/reading/decoders.ts';

export type Told<T> =
  { readonly ok: true; readonly value: T } | { readonly ok: false; readonly message: string };

/** What a source has, for whoever chooses from it. */
export interface SourceSummary {
  readonly parts: readonly { readonly name: string; readonly points: number }[];
  readonly joints: readonly { readonly name: string; readonly mass: number }[];
}

/** The character that gets weights. */
export interface TransferTarget {
  readonly skeleton: Skeleton;
  readonly parts: readonly CharacterPart[];
}

export interface ShownSource {
  readonly positions: Float32Array;
  readonly triangles: Uint32Array;
}

/** How a person has moved the source from where it was brought: Float32Array, 16, in target bound space. */
export type HandMatrix = Float32Array;

export interface PrepareAnswer extends Omit<PreparedTransfer, 'placed'> {
  readonly shown: readonly ShownSource[];
  /** By source joint: what it hangs on; and where it stands, Float32Array, 3·jointCount, in target bound space. */
  readonly parents: readonly number[];
  readonly places: Float32Array;
}

/** What a document of the shelf says beside its file. */
export interface KeptCharacter {
  readonly weights: Uint8Array;
  readonly setups: JointSetups;
  readonly shapes: ShapeSettings;
}

let whole: { readonly skeleton: Skeleton; readonly parts: readonly CharacterPart[] } | undefined;
let rows: readonly WeightRows[] = [];
let source: TransferSource | undefined;
let placed: readonly Float32Array[] = [];
let prepared: PreparedTransfer | undefined;

const MOVED_MS = 60;

async function told<T>(work: () => T | Promise<T>): Promise<Told<T>> {
  try {
    return { ok: true, value: await work() };
  } catch (error) {
    if (error instanceof CoreError) return { ok: false, message: error.message };
    throw error;
  }
}

const thread = {
  /** A file, or a character of the shelf with its weights and joints as they are there. */
  open(bytes: Uint8Array, kept?: KeptCharacter) {
    return told(async (): Promise<SourceSummary> => {
      const file = await readCharacter(openGlb(asGlb(bytes)), decoders);
      const read = kept ? withShapes(file, kept.shapes) : file;
      whole = { ...read, skeleton: kept ? withSetups(read.skeleton, kept.setups) : read.skeleton };
      rows = kept ? decodeRows(kept.weights) : read.rows;
      return summarize();
    });
  },
  /** The character itself. */
  openOwn(target: TransferTarget, own: readonly WeightRows[]) {
    return told((): SourceSummary => {
      whole = target;
      rows = own;
      return summarize();
    });
  },
  /** Chooses parts, matches joints and brings the source onto the target. */
  prepare(
    target: TransferTarget,
    listed: readonly number[],
    given: ReadonlyMap<number, number>,
    hand: HandMatrix | undefined,
  ) {
    return told((): PrepareAnswer => {
      if (!whole) throw new CoreError('argument-invalid', 'Choose a source first.');
      source = readSource(whole, rows, listed);
      prepared = prepareTransfer(source, target, given);
      placed = hand ? prepared.placed.map((positions) => movedPlaces(positions, hand)) : prepared.placed;
      const { joints, alignment, basis, isBent } = prepared;
      const parts = source.parts;
      const shown = placed.map((positions, i) => ({ positions, triangles: parts[i].triangles }));
      const moved = movedPlaces(source.places, alignment.matrix);
      const places = hand ? movedPlaces(moved, hand) : moved;
      const parents = source.skeleton.joints.map(({ parent }) => parent);
      return { joints, alignment, basis, isBent, shown, parents, places };
    });
  },
  run(
    target: TransferTarget,
    own: readonly WeightRows[],
    wish: Pick<TransferRequest, 'distance' | 'angle' | 'points' | 'rigidParts' | 'rules'> & {
      /** Whether every part takes from all that are listed; else those of the same name give, where there are such. */
      readonly takesAllParts: boolean;
    },
    tell: (share: number) => void,
  ) {
    return told(async (): Promise<{ change: Change; report: TransferReport }> => {
      if (!source || !prepared) throw new CoreError('argument-invalid', 'Choose a source first.');
      const joints = new Int32Array(source.skeleton.joints.length).fill(-1);
      for (const { source: from, target: to } of prepared.joints) joints[from] = to;
      let last = 0;
      const watch = (share: number): void => {
        const now = performance.now();
        if (now - last < MOVED_MS) return;
        last = now;
        tell(share);
      };
      const { matrix } = prepared.alignment;
      const every = source.parts.map((_, i) => i);
      const partsFor = wish.takesAllParts ? new Map(target.parts.map((_, part) => [part, every])) : undefined;
      return transferWeights(target.parts, own, { ...wish, source, joints, matrix, placed, partsFor, watch });
    });
  },
};

function summarize(): SourceSummary {
  if (!whole) return { parts: [], joints: [] };
  const masses = new Float64Array(whole.skeleton.joints.length);
  for (const own of rows) jointMass(own, masses.length, masses);
  return {
    parts: whole.parts.map(({ name, pointCount }) => ({ name, points: pointCount })),
    joints: whole.skeleton.joints.map(({ name }, joint) => ({ name, mass: masses[joint] })),
  };
}

export type TransferThread = typeof thread;
Comlink.expose(thread);
