import { readFileSync } from 'node:fs';

/** The packages of a workspace that its tests load as they are installed. */
const packagesOf = (workspace) => {
  const { dependencies, devDependencies } = JSON.parse(
    readFileSync(`${import.meta.dirname}/${workspace}/package.json`),
  );
  return Object.keys({ ...dependencies, ...devDependencies }).filter((name) => name !== '@yundro/core');
};

const project = (name, match, external = []) => ({
  displayName: name,
  testEnvironment: 'node',
  rootDir: import.meta.dirname,
  testMatch: [`<rootDir>/${match}`],
  extensionsToTreatAsEsm: ['.ts'],
  transform: { '\\.test\\.ts$': ['<rootDir>/scripts/lib/jestTransform.mjs', { external }] },
});

// by itself Jest leaves one core free, which on two cores is half of them
export default {
  maxWorkers: '100%',
  // a hang ends a test, a slow machine does not
  testTimeout: 60_000,
  projects: [
    project('core', 'core/**/*.test.ts'),
    project('cli', 'cli/test/**/*.test.ts'),
    project('server', 'server/test/**/*.test.ts', packagesOf('server')),
    project('web', 'web/src/**/*.test.ts'),
  ],
};
