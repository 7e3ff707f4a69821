import type { BindReport, BindRequest, BindSkin, Change } from '@judoka/core';
import * as Comlink from 'comlink';
import type { BinderThread } from '../workers/bind.worker.ts';

/**
 * Binds in a thread of its own. Stopping ends the thread: it holds nothing that is needed afterwards.
 * @throws Error with the sentence that core gave; DOMException `AbortError` when stopped
 */
export async function runBind(
  skin: BindSkin,
  request: BindRequest,
  tell: (share: number) => void,
  signal: AbortSignal,
): Promise<{ change: Change; report: BindReport }> {
  const worker = new Worker(new URL('../workers/bind.worker.ts', import.meta.url), { type: 'module' });
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
    const answer = await Promise.race([binder.run(skin, request, Comlink.proxy(report)), stop]);
    if (!answer.ok) throw new Error(answer.message);
    return answer;
  } finally {
    ended = true;
    worker.terminate();
  }
}
