// The house: which room may import which. An import points downwards or stays in its folder; files form no circle.

/** Workspaces, and what each may import. */
const ROOMS = {
  core: [],
  contract: ['core'],
  demo: ['core'],
  cli: ['core', 'demo'],
  server: ['core', 'contract', 'demo'],
  web: ['core', 'contract'],
  e2e: ['core', 'contract', 'demo'],
  // Times the page's own picking, and the page itself as the browser tests drive it.
  benchmarks: ['core', 'contract', 'demo', 'web', 'e2e'],
};

/** Floors of core from the ground up; a folder may use those before it. */
const CORE_FLOORS = [
  'math',
  'memory',
  'spatial',
  'solve',
  'drawing',
  'mesh',
  'skeleton',
  'weights',
  'deform',
  'animation',
  'document',
  'operations',
  'analysis',
  'formats',
];

/** Of operations and of analysis: which folder may use another one beside it. */
const CORE_SIDEWAYS = {
  crossings: ['bends'],
  strays: ['checkUp'],
  blemishes: ['bends', 'checkUp', 'strays'],
};

/** Floors of the page; a folder may use those before it. */
const WEB_FLOORS = [
  'ui',
  'api',
  'settings',
  'document',
  'scene',
  'trial',
  'features',
  'workspace',
  'shelf',
  'app',
];

const TEST = '\\.test\\.tsx?$|/testing/|/testing\\.ts$';

const workspaces = Object.entries(ROOMS).map(([room, allowed]) => ({
  name: `${room}-only-below`,
  severity: 'error',
  comment: `${room} may import only from: ${allowed.join(', ') || 'nothing of ours'}.`,
  from: { path: `^${room}/` },
  to: { path: `^(${Object.keys(ROOMS).join('|')})/`, pathNot: `^(${[room, ...allowed].join('|')})/` },
}));

const floors = (root, names) =>
  names.slice(0, -1).map((name, i) => ({
    name: `${root.split('/')[0]}-${name}-only-below`,
    severity: 'error',
    comment: `${name} may import only from: ${names.slice(0, i).join(', ') || 'nothing'}.`,
    from: { path: `^${root}/${name}/`, pathNot: TEST },
    to: { path: `^${root}/(${names.slice(i + 1).join('|')})/` },
  }));

const sideways = ['operations', 'analysis'].map((floor) => ({
  name: `core-${floor}-not-sideways`,
  severity: 'error',
  comment: `Folders of ${floor} do not import one another.`,
  from: { path: `^core/src/${floor}/([^/]+)/`, pathNot: TEST },
  to: {
    path: `^core/src/${floor}/([^/]+)/`,
    pathNot: [
      `^core/src/${floor}/$1/`,
      ...Object.values(CORE_SIDEWAYS).flatMap((names) => names.map((name) => `^core/src/analysis/${name}/`)),
    ],
  },
}));

const features = {
  name: 'web-features-not-sideways',
  severity: 'error',
  comment: 'Features do not import one another: what two of them need lies on a floor below.',
  from: { path: '^web/src/features/([^/]+)/', pathNot: TEST },
  to: {
    path: '^web/src/features/([^/]+)/',
    pathNot: '^web/src/features/$1/',
  },
};

module.exports = {
  forbidden: [
    {
      name: 'no-circle',
      severity: 'error',
      comment: 'Files form no circle, not even of types.',
      from: {},
      to: { circular: true },
    },
    {
      name: 'core-runs-anywhere',
      severity: 'error',
      comment: 'core has no DOM, React, three or Node in it.',
      from: { path: '^core/src/', pathNot: TEST },
      to: {
        path: '^(node:|fs$|path$|.*/node_modules/(react|react-dom|three|express|pg|@mantine)/)',
        dependencyTypesNot: ['type-only'],
      },
    },
    {
      name: 'core-no-builtins',
      severity: 'error',
      from: { path: '^core/src/', pathNot: TEST },
      to: { dependencyTypes: ['core'] },
    },
    ...workspaces,
    ...floors('core/src', CORE_FLOORS),
    ...sideways,
    ...floors('web/src', WEB_FLOORS),
    features,
  ],
  options: {
    doNotFollow: { path: 'node_modules' },
    exclude: { path: '(^|/)(node_modules|dist)/|kernelBytes\\.ts$|^core/kernels/' },
    tsPreCompilationDeps: true,
    tsConfig: { fileName: 'tsconfig.json' },
    enhancedResolveOptions: { exportsFields: ['exports'], conditionNames: ['import', 'types', 'default'] },
  },
};
