// A worker thread does not inherit the TypeScript loader of its parent: it is registered here first.
import { register } from 'tsx/esm/api';

register();
await import('./heavyWorker.ts');
