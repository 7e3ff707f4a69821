/* global self, caches, fetch, URL */
// Keeps the page itself in the browser, so that a reload works while the server is away. What the server answers to the
// page (/api) never goes through here.
const PAGE = 'judoka-page';
const SHELL = '/index.html';

self.addEventListener('install', (event) => event.waitUntil(self.skipWaiting()));
self.addEventListener('activate', (event) => event.waitUntil(self.clients.claim()));

self.addEventListener('fetch', (event) => {
  const { request } = event;
  const url = new URL(request.url);
  if (request.method !== 'GET' || url.origin !== self.location.origin || url.pathname.startsWith('/api/'))
    return;
  if (request.mode === 'navigate') event.respondWith(freshOrKept(request));
  else if (url.pathname.startsWith('/assets/')) event.respondWith(keptOrFresh(request));
});

/** The page as the server has it now; as it was kept where the server is away. */
async function freshOrKept(request) {
  try {
    const response = await fetch(request);
    if (response.ok && response.headers.get('Content-Type')?.includes('text/html')) {
      const cache = await caches.open(PAGE);
      await cache.put(SHELL, response.clone());
    }
    return response;
  } catch (error) {
    const kept = await (await caches.open(PAGE)).match(SHELL);
    if (kept) return kept;
    throw error;
  }
}

/** Assets are named by their content: one that is kept is the right one. */
async function keptOrFresh(request) {
  const cache = await caches.open(PAGE);
  const kept = await cache.match(request.url);
  if (kept) return kept;
  const response = await fetch(request);
  if (response.ok) await cache.put(request.url, response.clone());
  return response;
}

/** The page tells when it is at rest: then all of it is fetched once, and what an older version had is let go. */
self.addEventListener('message', (event) => {
  if (event.data === 'keep all') event.waitUntil(keepAll());
});

async function keepAll() {
  const response = await fetch('/assets.json', { cache: 'no-cache' });
  if (!response.ok) return;
  const wanted = new Set((await response.json()).map((path) => new URL(path, self.location.origin).href));
  const cache = await caches.open(PAGE);
  const kept = new Set((await cache.keys()).map(({ url }) => url));
  const page = await fetch(SHELL, { cache: 'no-cache' });
  for (const url of wanted) if (!kept.has(url)) await cache.add(url).catch(() => undefined);
  if (page.ok) await cache.put(SHELL, page);
  for (const url of kept) if (!wanted.has(url) && !url.endsWith(SHELL)) await cache.delete(url);
}
