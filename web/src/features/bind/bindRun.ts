import type { BindPart, BindReport, BindRequest, BindSkin, Mixture } from '@judoka/core/operations/bind';
import type { Change, RewriteRules, WeightRows } from '@judoka/core/weights';
import * as Comlink from 'comlink';
import type { BindAnswer, BinderThread } from './bind.worker.ts';

/** A part without what would travel for nothing. */
const onlyWhatBinds = ({
  name,
  pointCount,
  positions,
  triangles,
  polygonOffsets,
  polygonPoints,
  inverseBinds,
  source,
  vertexPoint,
  vertexCount,
}: BindPart): BindPart => ({
  name,
  pointCount,
  positions,
  triangles,
  polygonOffsets,
  polygonPoints,
  inverseBinds,
  source,
  vertexPoint,
  vertexCount,
});

/**
 * Binds in a thread of its own. Stopping ends the thread: it holds nothing that is needed afterwards.
 *
 * @param skin its rows are handed over
 * @throws Error with the sentence that core gave; DOMException `AbortError` when stopped
 */
export async function runBind(
  skin: BindSkin,
  request: BindRequest,
  tell: (share: number) => void,
  signal: AbortSignal,
): Promise<{ change: Change; report: BindReport }> {
  // Reports travel on a way of their own and may come in behind the answer.
  let ended = false;
  const report = (share: number): void => {
    if (!ended) tell(share);
  };
  const light = { ...skin, parts: skin.parts.map(onlyWhatBinds) };
  try {
    const answer = await inThread<BindAnswer>(signal, (binder) =>
      binder.run(Comlink.transfer(light, buffersOf(skin.rows)), request, Comlink.proxy(report)),
    );
    if (!answer.ok) throw new Error(answer.message);
    return answer;
  } finally {
    ended = true;
  }
}

/** Mixes two bindings in a thread of its own. @param rows handed over */
export function runMix(
  rows: readonly WeightRows[],
  mixture: Mixture,
  rules: RewriteRules,
  signal: AbortSignal,
): Promise<Change> {
  return inThread(signal, (binder) => binder.mix(Comlink.transfer(rows, buffersOf(rows)), mixture, rules));
}

const buffersOf = (rows: readonly WeightRows[]): Transferable[] =>
  rows.flatMap(({ joints, values }) => [joints.buffer as ArrayBuffer, values.buffer as ArrayBuffer]);

async function inThread<Answer>(
  signal: AbortSignal,
  ask: (binder: Comlink.Remote<BinderThread>) => Promise<Answer>,
): Promise<Answer> {
  signal.throwIfAborted();
  const worker = new Worker(new URL('./bind.worker.ts', import.meta.url), { type: 'module' });
  const stop = new Promise<never>((_, reject) => {
    worker.addEventListener('error', (event) => reject(new Error(event.message || 'The binding failed.')));
    signal.addEventListener('abort', () => reject(new DOMException('Stopped.', 'AbortError')), {
      once: true,
    });
  });
  try {
    return await Promise.race([ask(Comlink.wrap<BinderThread>(worker)), stop]);
  } finally {
    worker.terminate();
  }
}
