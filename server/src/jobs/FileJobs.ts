import type { Joint, JointSetups } from '@judoka/core/skeleton';
import { Piscina } from 'piscina';
import { valueOf, type Outcome } from '../http/outcome.ts';
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
}

/** Jobs at a time: a file of 256 MB takes memory for itself several times over. */
const THREADS = 2;

/** Reading and writing of whole files, in threads of their own. */
export class FileJobs {
  readonly #threads = new Piscina({
    ...threadFile('fileThread'),
    minThreads: 0,
    maxThreads: THREADS,
    idleTimeout: 30_000,
    atomics: 'disabled',
    resourceLimits: { maxOldGenerationSizeMb: 4096 },
  });

  async importFile(bytes: Uint8Array): Promise<Imported> {
    return valueOf((await this.#threads.run(bytes, { name: 'importFile' })) as Outcome<Imported>);
  }

  async exportFile(job: ExportJob): Promise<Uint8Array> {
    return valueOf((await this.#threads.run(job, { name: 'exportFile' })) as Outcome<Uint8Array>);
  }

  async close(): Promise<void> {
    await this.#threads.destroy();
  }
}
