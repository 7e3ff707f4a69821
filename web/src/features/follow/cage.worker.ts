import { makeCage, type CageRequest, type MadeCage } from '@judoka/core/operations/cage';
import { CoreError } from '@judoka/core/errors';
import * as Comlink from 'comlink';

export type CageAnswer =
  { readonly ok: true; readonly cage: MadeCage } | { readonly ok: false; readonly message: string };

const worker = {
  async make(request: CageRequest): Promise<CageAnswer> {
    try {
      return { ok: true, cage: await makeCage(request) };
    } catch (error) {
      // Classes do not cross the thread: what a person can do about it stands in the sentence.
      if (error instanceof CoreError) return { ok: false, message: error.message };
      throw error;
    }
  },
};
export type CageWorker = typeof worker;
Comlink.expose(worker);
