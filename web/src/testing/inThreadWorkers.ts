// Workers for tests: the real modules, run in the test's own thread. Messages are cloned and handed over as between threads.

type Listener = (event: { data: unknown }) => void;

/** Whoever listens to the modules' side: they all share the one global scope, as each has in a thread of its own. */
const insideOf = new Map<string, Set<Listener>>();
const outside = new Set<Listener>();
const ports = new Set<MessagePort>();
let loading = '';

/** What the modules find instead of a worker's global scope. */
function simulateScope(): void {
  Object.assign(globalThis, {
    addEventListener: (type: string, listener: Listener) => {
      if (type !== 'message' || !loading) return;
      insideOf.set(loading, (insideOf.get(loading) ?? new Set()).add(listener));
    },
    removeEventListener: () => undefined,
    postMessage: (message: unknown, transfer: Transferable[] = []) => {
      const data = cloned(message, transfer);
      // Answers carry the number of their question: whoever did not ask lets them be.
      for (const listener of outside) queueMicrotask(() => listener({ data }));
    },
  });
}

function cloned(message: unknown, transfer: Transferable[]): unknown {
  for (const each of transfer) if (each instanceof MessagePort) ports.add(each);
  return structuredClone(message, { transfer });
}

class InThreadWorker {
  readonly #module: Promise<string>;
  readonly #own = new Set<Listener>();

  constructor(url: URL) {
    this.#module = load(url.href);
  }

  addEventListener(type: string, listener: Listener): void {
    if (type !== 'message') return;
    this.#own.add(listener);
    outside.add(listener);
  }

  removeEventListener(_type: string, listener: Listener): void {
    outside.delete(listener);
  }

  postMessage(message: unknown, transfer: Transferable[] = []): void {
    const data = cloned(message, transfer);
    for (const each of messagePortsIn(data)) ports.add(each);
    void this.#module.then((href) => {
      for (const listener of insideOf.get(href) ?? []) listener({ data });
    });
  }

  /** The thread ends: nothing that it says later is heard. */
  terminate(): void {
    for (const listener of this.#own) outside.delete(listener);
  }
}

function messagePortsIn(data: unknown): MessagePort[] {
  const { argumentList = [] } = data as { argumentList?: { value?: unknown }[] };
  return argumentList.flatMap(({ value }) => (value instanceof MessagePort ? [value] : []));
}

let turn: Promise<unknown> = Promise.resolve();

/** One module at a time, so that it is known whose listener is whose. */
function load(href: string): Promise<string> {
  const next = turn.then(async () => {
    if (insideOf.has(href)) return href;
    loading = href;
    await import(href);
    loading = '';
    return href;
  });
  turn = next.catch(() => undefined);
  return next;
}

/** From here on workers answer. */
export function runWorkersInThread(): void {
  simulateScope();
  Object.assign(globalThis, { Worker: InThreadWorker });
}

/** Lets go of what would keep the process alive. */
export function closePorts(): void {
  for (const port of ports) port.close();
  ports.clear();
}
