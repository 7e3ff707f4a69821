import type { Server } from 'node:http';

/** So long a request that is under way may take; what is cut off then is sent again by its page. */
const PATIENCE_MS = 3000;
const LOOK_MS = 25;

/** Ends a server: readers' streams first, as they never end by themselves; requests under way are answered. */
export async function closeServer(server: Server, events: { close(): Promise<void> }): Promise<void> {
  const isClosed = new Promise((resolve) => server.close(resolve));
  // A connection that has just been answered is kept for more, which will not come.
  const idle = setInterval(() => server.closeIdleConnections(), LOOK_MS);
  const late = setTimeout(() => server.closeAllConnections(), PATIENCE_MS);
  await events.close();
  await isClosed;
  clearInterval(idle);
  clearTimeout(late);
}
