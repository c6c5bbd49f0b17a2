/**
 * Order inside packages: folders import downwards only, and nothing goes in circles. Between packages the order is
 * eslint.config.js's matter. Run by `npm test`.
 */
const ORDER = {
  'packages/core/src': [
    ['words', 'stats'],
    ['format'],
    ['take'],
    ['rollup'],
    ['study'],
    ['detect', 'lists'],
    ['remedy'],
    ['compare', 'composite'],
    ['gate', 'history', 'questions'],
    ['exchange', 'report'],
  ],
  'packages/server/src': [['store', 'threads'], ['ingest'], ['access', 'recordings'], ['serve', 'lists']],
  'packages/web/src': [
    ['lists', 'format', 'components'],
    ['state', 'api', 'plan'],
    ['code', 'stills'],
    ['shell', 'access', 'budgets', 'findings', 'strip', 'live'],
    ['sights'],
    ['workbench', 'library', 'compare', 'game', 'check'],
  ],
}

/** A folder may import those above it in the list, itself, and what stands beside it. */
const upwards = Object.entries(ORDER).flatMap(([root, levels]) =>
  levels.slice(0, -1).map((level, i) => ({
    name: `${root.split('/')[1]}: ${level.join(', ')} below ${levels[i + 1].join(', ')}`,
    severity: 'error',
    from: { path: `^${root}/(${level.join('|')})/`, pathNot: `^${root}/lists/` },
    to: {
      path: `^${root}/(${levels
        .slice(i + 1)
        .flat()
        .join('|')})/`,
      pathNot: `^${root}/lists/`,
    },
  })),
)

module.exports = {
  forbidden: [
    {
      name: 'no circles',
      severity: 'error',
      from: {},
      to: { circular: true, viaOnly: { dependencyTypesNot: ['type-only'] } },
    },
    ...upwards,
  ],
  options: {
    tsConfig: { fileName: 'tsconfig.json' },
    tsPreCompilationDeps: true,
    exclude: { path: 'node_modules|/dist/|/test/' },
    enhancedResolveOptions: { exportsFields: ['exports'], conditionNames: ['import', 'node', 'default'] },
  },
}

// Docs are made from it, too; not enumerable, since the tool knows only its own settings.
Object.defineProperty(module.exports, 'ORDER', { value: ORDER })
