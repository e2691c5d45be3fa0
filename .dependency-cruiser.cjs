/**
 * The core's floors, from the ground up. Each may import those below it and itself, type imports included; folders of
 * one floor stand apart from one another.
 */
const FLOORS = [
  ['quantity', 'numbers'],
  ['design'],
  ['explain', 'verdict', 'network', 'losses'],
  ['topology', 'shelf'],
  ['area\\.ts'],
  ['estimates'],
  ['control'],
  ['stage'],
  ['step', 'source', 'smallParts'],
  ['simulation'],
  ['loop'],
  ['areas\\.ts'],
  ['catalogue\\.ts', 'solve\\.ts'],
  ['explore', 'project', 'parts'],
  ['advice\\.ts'],
  ['judge\\.ts'],
  ['apart\\.ts'],
  ['index\\.ts'],
];
/** The same within the power stage's folder. */
const ROOMS = [
  ['operating'],
  ['sizing'],
  ['scene\\.ts'],
  ['quantities'],
  ['targets\\.ts', 'tapes\\.ts'],
  ['sanity\\.ts'],
  ['notices\\.ts'],
  ['area\\.ts'],
];

const at = (root, names) => `^${root}/(${names.join('|')})(/|$)`;
/** What no folder of a floor may reach: floors above it, and its neighbours. */
function upward(root, floors) {
  return floors.flatMap((floor, level) =>
    floor.map((name) => ({
      name: `floors of ${root}: ${name}`,
      severity: 'error',
      from: { path: at(root, [name]), pathNot: '\\.test\\.ts$' },
      to: { path: at(root, [...floor.filter((other) => other !== name), ...floors.slice(level + 1).flat()]) },
    })),
  );
}

/** Who may import whom: the core nothing but itself and its four packages; page, server and command only the core. */
module.exports = {
  forbidden: [
    ...upward('core/src', FLOORS),
    ...upward('core/src/stage', ROOMS),
    {
      name: 'core-is-pure',
      severity: 'error',
      comment: 'The core imports nothing of interface, server or Node I/O.',
      from: { path: '^core/src', pathNot: '\\.test\\.ts$|^core/src/testing/' },
      to: { pathNot: '^core/src|node_modules/(zod|jsonc-parser|mathjs|pure-rand|ml-levenberg-marquardt)/' },
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
      comment: 'Type imports count: what describes itself by one another cannot be taken apart either.',
      from: { pathNot: '\\.test\\.ts$' },
      to: { circular: true },
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
