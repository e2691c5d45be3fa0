/** Who may import whom: the core nothing but itself and its two packages; page, server and command only the core. */
module.exports = {
  forbidden: [
    {
      name: 'core-is-pure',
      severity: 'error',
      comment: 'The core imports nothing of interface, server or Node I/O.',
      from: { path: '^core/src', pathNot: '\\.test\\.ts$|^core/src/testing/' },
      to: { pathNot: '^core/src|node_modules/(zod|jsonc-parser)/' },
    },
    {
      name: 'page-server-command-apart',
      severity: 'error',
      from: { path: '^(web|server|cli)/src' },
      to: { path: '^(web|server|cli)/src', pathNot: '^$1/src' },
    },
    {
      name: 'no-cycles',
      severity: 'error',
      from: {},
      to: { circular: true, viaOnly: { dependencyTypesNot: ['type-only'] } },
    },
  ],
  options: {
    doNotFollow: { path: 'node_modules' },
    tsPreCompilationDeps: true,
    tsConfig: { fileName: 'tsconfig.base.json' },
    enhancedResolveOptions: {
      exportsFields: ['exports'],
      conditionNames: ['import', 'default'],
      extensions: ['.ts', '.tsx', '.mjs', '.js'],
    },
  },
};
