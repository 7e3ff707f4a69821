// A thread does not inherit the TypeScript loader of its parent: it is registered here first. The built server does
// without this file.
import { register } from 'tsx/esm/api';

register();
export const { append, open, later, content, snapshot, log, touching, moment } =
  await import('../documents/documentThread.ts');
