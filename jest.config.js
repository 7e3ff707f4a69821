// ESM throughout: run with NODE_OPTIONS=--experimental-vm-modules (scripts/test.mjs does).
const transform = {
  '^.+\\.tsx?$': [
    '@swc/jest',
    { jsc: { parser: { syntax: 'typescript', tsx: false }, target: 'es2022' }, module: { type: 'es6' } },
  ],
};
const room = (name, extra = {}) => ({
  displayName: name,
  testMatch: [`<rootDir>/${name}/**/*.test.ts`],
  transform,
  extensionsToTreatAsEsm: ['.ts'],
  testEnvironment: 'node',
  setupFiles: ['<rootDir>/scripts/testing/properties.ts'],
  ...extra,
});

export default {
  projects: [
    ...['core', 'contract', 'demo', 'cli', 'web', 'server', 'scripts'].map((name) => room(name)),
    room('e2e', { setupFilesAfterEnv: ['<rootDir>/e2e/secondTry.ts'] }),
  ],
  testTimeout: 60_000,
};
