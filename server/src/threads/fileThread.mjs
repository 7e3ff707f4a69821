// A thread does not inherit the TypeScript loader of its parent: it is registered here first. The built server does
// without this file.
import { register } from 'tsx/esm/api';

register();
export const { importFile, exportFile, findLosses } = await import('../files/fileThread.ts');
