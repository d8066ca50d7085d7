/** The views of the workspace, in the order of the rail, each with the key that leads to it with Alt. */
export const VIEWS = [
  { name: 'declare', title: 'Declare', key: '1' },
  { name: 'fan-out', title: 'Fan-out', key: '2' },
  { name: 'trace', title: 'Trace', key: '3' },
  { name: 'coverage', title: 'Coverage', key: '4' },
  { name: 'findings', title: 'Findings', key: '5' },
  { name: 'expectations', title: 'Expectations', key: '6' },
  { name: 'access', title: 'Access', key: '7' },
  { name: 'revisions', title: 'Revisions', key: '8' },
  { name: 'compare', title: 'Compare', key: 'C' },
  { name: 'review', title: 'Review', key: 'R' },
  { name: 'rollout', title: 'Rollout', key: '9' },
  { name: 'watch', title: 'Watch', key: 'W' },
  { name: 'declared', title: 'Declared', key: '0' },
  { name: 'people', title: 'People', key: 'O' },
] as const;

/** The views that need a server: a folder has none. */
export const ON_SERVER: ReadonlySet<string> = new Set([
  'revisions',
  'rollout',
  'watch',
  'people',
  'compare',
  'review',
]);
