/** The views of the workspace, in the order of the rail; their number is their key. */
export const VIEWS = [
  { name: 'declare', title: 'Declare' },
  { name: 'fan-out', title: 'Fan-out' },
  { name: 'trace', title: 'Trace' },
  { name: 'coverage', title: 'Coverage' },
  { name: 'findings', title: 'Findings' },
  { name: 'expectations', title: 'Expectations' },
  { name: 'access', title: 'Access' },
  { name: 'revisions', title: 'Revisions' },
  { name: 'rollout', title: 'Rollout' },
  { name: 'declared', title: 'Declared' },
] as const;
