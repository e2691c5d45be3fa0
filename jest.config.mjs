const project = (name, match, extra = {}) => ({
  displayName: name,
  testEnvironment: 'node',
  rootDir: import.meta.dirname,
  testMatch: [`<rootDir>/${match}`],
  extensionsToTreatAsEsm: ['.ts', '.tsx'],
  moduleNameMapper: { '^@yundro/core$': '<rootDir>/core/src/index.ts' },
  transform: {
    '^.+\\.tsx?$': [
      '<rootDir>/scripts/lib/jestTransform.mjs',
      { jsc: { target: 'es2023', parser: { syntax: 'typescript' } }, module: { type: 'es6' }, sourceMaps: 'inline' },
    ],
  },
  ...extra,
});

// by itself Jest leaves one core free, which on two cores is half of them
export default {
  maxWorkers: '100%',
  // a hang ends a test, a slow machine does not
  testTimeout: 60_000,
  projects: [
    project('core', 'core/**/*.test.ts'),
    project('cli', 'cli/test/**/*.test.ts'),
    project('server', 'server/test/**/*.test.ts'),
    project('web', 'web/src/**/*.test.ts'),
  ],
};
