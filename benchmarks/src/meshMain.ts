import { benchMesh } from './mesh.ts';

await benchMesh();
