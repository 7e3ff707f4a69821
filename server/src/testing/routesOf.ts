import type { Express } from 'express';

export interface RouteOf {
  readonly method: string;
  readonly path: string;
}

interface Layer {
  readonly route?: { readonly path: string; readonly methods: Readonly<Record<string, boolean>> };
  readonly handle: { readonly stack?: readonly Layer[] };
}

/** Every route of the server, as its router has them: those under `/api` lie in routers of their own. */
export function routesOf(app: Express): RouteOf[] {
  const list = (stack: readonly Layer[], prefix: string): RouteOf[] =>
    stack.flatMap(({ route, handle }) =>
      route
        ? Object.keys(route.methods).map((method) => ({
            method: method.toUpperCase(),
            path: prefix + route.path,
          }))
        : list(handle.stack ?? [], '/api'),
    );
  return list((app.router as unknown as { stack: readonly Layer[] }).stack, '');
}
