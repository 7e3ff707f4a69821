import type { Plugin } from 'vite';

/** Writes `assets.json`, the list of everything that the page may load, for keeping it in the browser. */
export function listed(): Plugin {
  return {
    name: 'judoka-list-assets',
    enforce: 'post',
    generateBundle(_options, bundle) {
      const names = Object.keys(bundle).filter((name) => name.startsWith('assets/'));
      this.emitFile({
        type: 'asset',
        fileName: 'assets.json',
        source: JSON.stringify(names.map((name) => `/${name}`)),
      });
    },
  };
}
