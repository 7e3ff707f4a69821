import react from '@vitejs/plugin-react';
import { defineConfig } from 'vite';
import { compressed } from './compress.ts';
import { listed } from './listAssets.ts';

const NOTHING = '/src/document/reading/nothing.ts';

export default defineConfig({
  plugins: [react(), compressed(), listed()],
  // The decoders ask for Node's modules only when they find themselves in Node.
  resolve: {
    alias: Object.fromEntries(['fs', 'path', 'node:fs', 'node:path'].map((name) => [name, NOTHING])),
  },
  build: { target: 'es2022', sourcemap: false, chunkSizeWarningLimit: 2000 },
  worker: { format: 'es' },
});
