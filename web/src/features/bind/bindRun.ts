import type { BindPart, BindReport, BindRequest, BindSkin } from '@judoka/core/operations/bind';
import type { Change } from '@judoka/core/weights';
import * as Comlink from 'comlink';
import type { BinderThread } from './bind.worker.ts';

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
}: BindPart): BindPart => ({
  name,
  pointCount,
  positions,
  triangles,
  polygonOffsets,
  polygonPoints,
  inverseBinds,
  source,
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
  const worker = new Worker(new URL('./bind.worker.ts', import.meta.url), { type: 'module' });
  const stop = new Promise<never>((_, reject) => {
    worker.addEventListener('error', (event) => reject(new Error(event.message || 'The binding failed.')));
    signal.addEventListener('abort', () => reject(new DOMException('Stopped.', 'AbortError')), {
      once: true,
    });
  });
  // Reports travel on a way of their own and may come in behind the answer.
  let ended = false;
  const report = (share: number): void => {
    if (!ended) tell(share);
  };
  try {
    const binder = Comlink.wrap<BinderThread>(worker);
    const light = { ...skin, parts: skin.parts.map(onlyWhatBinds) };
    // The weights are copies already: handed over.
    const buffers = skin.rows.flatMap(({ joints, values }) => [joints.buffer, values.buffer]);
    const answer = await Promise.race([
      binder.run(Comlink.transfer(light, buffers), request, Comlink.proxy(report)),
      stop,
    ]);
    if (!answer.ok) throw new Error(answer.message);
    return answer;
  } finally {
    ended = true;
    worker.terminate();
  }
}
