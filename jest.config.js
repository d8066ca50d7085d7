const transform = {
  '^.+\\.(ts|mjs|js)$': [
    '@swc/jest',
    { jsc: { parser: { syntax: 'typescript' }, target: 'es2022' }, module: { type: 'commonjs' } },
  ],
};
const project = (displayName, roots, more = {}) => ({
  displayName,
  roots: roots.map((r) => `<rootDir>/${r}`),
  testMatch: ['**/*.test.ts'],
  testEnvironment: 'node',
  transform,
  setupFilesAfterEnv: ['<rootDir>/core/testing/seed.ts'],
  transformIgnorePatterns: [
    '/node_modules/(?!(yaml|hono|@hono|pinia|nostics|openid-client|oauth4webapi|jose)/)',
  ],
  moduleNameMapper: {
    '^@vondle/core/([\\w/]+)$': '<rootDir>/core/$1/index.ts',
    '^@vondle/api$': '<rootDir>/api/index.ts',
    '^@vondle/api/(\\w+)$': '<rootDir>/api/$1.ts',
  },
  ...more,
});

export default {
  testTimeout: 60000,
  projects: [
    project('core', ['core']),
    project('api', ['api']),
    project('cli', ['cli']),
    project('tools', ['tools']),
    project('web', ['web/src']),
    // these need the services that `npm test` starts
    project('server', ['server'], { testPathIgnorePatterns: ['\\.live\\.test\\.ts$'] }),
    project('standin', ['standin']),
    project('live', ['server'], { testMatch: ['**/*.live.test.ts'] }),
    project('e2e', ['e2e']),
  ],
};
