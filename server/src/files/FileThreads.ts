import type { Delivery, SavedRibbon, SavedShapes, ShapeSettings } from '@judoka/core/document';
import type { Joint, JointSetups, Pose } from '@judoka/core/skeleton';
import { Piscina } from 'piscina';
import { valueOf, type Outcome } from '../http/outcome.ts';
import { RequestError } from '../http/requestError.ts';
import { threadFile } from './threadFile.ts';

/** What the shelf shows of a character, and which of its parts have weights of their own. */
export interface Summary {
  readonly parts: number;
  readonly points: number;
  readonly joints: number;
  readonly troubles: readonly string[];
  readonly arrival: readonly string[];
  readonly skinned: readonly boolean[];
}

export interface Imported {
  /** The file that the character is kept in, where that is not the one that came. */
  readonly source?: Uint8Array;
  readonly summary: Summary;
  readonly skeleton: readonly Joint[];
  /** Joints that no binding should give weight to: roots that no part of the body lies about. */
  readonly nonDeforming: readonly number[];
  readonly weights: Uint8Array;
  readonly picture: Uint8Array;
}

export interface ExportJob {
  readonly source: Uint8Array;
  readonly weights: Uint8Array;
  readonly setups: JointSetups;
  /** Parts that have weights though the file gives them none. */
  readonly skinned: ReadonlySet<number>;
  readonly delivery: Delivery;
  /** Of the file that goes out, without an ending. */
  readonly name: string;
  /** When it is made. */
  readonly at: Date;
  readonly shapes: ShapeSettings;
  /** What is said of the file's shapes, and the masks that it names. */
  readonly morphs: {
    readonly saved: SavedShapes;
    readonly masks: readonly { readonly id: string; readonly bytes: Uint8Array }[];
  };
  /** Of a drawing, its layers from back to front; empty where they lie as in the file. */
  readonly order: readonly number[];
  /** Motions that are added as clips. */
  readonly motions: readonly ExportedMotion[];
  /** Poses that are added as clips of one frame. */
  readonly poses: readonly { readonly name: string; readonly joints: Pose }[];
  /** Ribbons whose own joints move in every clip. */
  readonly ribbons: readonly SavedRibbon[];
}

/** What goes out: one file, or several in a zip file. */
export interface ExportedFile {
  readonly name: string;
  readonly bytes: Uint8Array;
}

export interface ExportedMotion {
  readonly name: string;
  /** Of the .bvh file. */
  readonly bytes: Uint8Array;
  readonly follows: Readonly<Record<number, number>>;
}

/** The longest that a file may take. */
const READING_MS = 120_000;
/** Jobs at a time: a file of 256 MB takes memory for itself several times over. */
const THREADS = 2;

/** Reading and writing of whole files, in threads of their own. */
export class FileThreads {
  readonly #threads = new Piscina({
    ...threadFile('fileThread'),
    // Kept warm: what comes is read at once.
    minThreads: 1,
    maxThreads: THREADS,
    idleTimeout: 60_000,
    atomics: 'disabled',
    resourceLimits: { maxOldGenerationSizeMb: 3072 },
  });

  /** @throws RequestError `file-too-large` where reading takes too long, or more memory than there is for it */
  async importFile(bytes: Uint8Array, signal?: AbortSignal): Promise<Imported> {
    const late = AbortSignal.timeout(READING_MS);
    const ending = signal ? AbortSignal.any([signal, late]) : late;
    const read = this.#threads.run(bytes, { name: 'importFile', signal: ending }) as Promise<
      Outcome<Imported>
    >;
    return valueOf(
      await read.catch((error: unknown) => {
        if (signal?.aborted) throw new RequestError('stopped', 'It was stopped.');
        if (late.aborted)
          throw new RequestError(
            'file-too-large',
            'Reading this file takes longer than two minutes; it was stopped.',
          );
        if ((error as { code?: unknown }).code === 'ERR_WORKER_OUT_OF_MEMORY')
          throw new RequestError(
            'file-too-large',
            'Reading this file takes more memory than there is for it.',
          );
        throw error;
      }),
    );
  }

  /** @throws RequestError what core refused */
  async exportFile(job: ExportJob): Promise<ExportedFile> {
    return valueOf((await this.#threads.run(job, { name: 'exportFile' })) as Outcome<ExportedFile>);
  }

  /** What of a file cannot go along into a format, in sentences. */
  async lossesOf(source: Uint8Array, format: Delivery['format']): Promise<string[]> {
    return valueOf(
      (await this.#threads.run({ source, format }, { name: 'findLosses' })) as Outcome<string[]>,
    );
  }

  async close(): Promise<void> {
    await this.#threads.destroy();
  }
}
