import {
  type BindReport,
  type BindRequest,
  bindSkin,
  type BindSkin,
  mixBindings,
  type Mixture,
} from '@judoka/core/operations/bind';
import { CoreError } from '@judoka/core/errors';
import type { Change, RewriteRules, WeightRows } from '@judoka/core/weights';
import * as Comlink from 'comlink';

export type BindAnswer =
  | { readonly ok: true; readonly change: Change; readonly report: BindReport }
  | { readonly ok: false; readonly message: string };

/** Reports at most this often, in milliseconds: every report is a message to the page. */
const REPORT_MS = 60;

const binder = {
  // Not “bind”: comlink takes a call of that name for JavaScript's own.
  async run(skin: BindSkin, request: BindRequest, tell: (share: number) => void): Promise<BindAnswer> {
    let told = 0;
    try {
      const result = await bindSkin(skin, request, (share) => {
        const now = performance.now();
        if (now - told < REPORT_MS) return;
        told = now;
        tell(share);
      });
      return Comlink.transfer({ ok: true, ...result }, buffersOf(result.change));
    } catch (error) {
      if (error instanceof CoreError) return { ok: false, message: error.message };
      throw error;
    }
  },
  mix(rows: readonly WeightRows[], mixture: Mixture, rules: RewriteRules): Change {
    const change = mixBindings(rows, mixture, rules);
    return Comlink.transfer(change, buffersOf(change));
  },
};

const buffersOf = (change: Change): Transferable[] =>
  change.flatMap(({ before, after, points }) =>
    [before.joints, before.values, after.joints, after.values, points].map(
      ({ buffer }) => buffer as ArrayBuffer,
    ),
  );

export type BinderThread = typeof binder;
Comlink.expose(binder);
