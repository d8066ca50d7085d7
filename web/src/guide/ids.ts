/** The ids of topologies that have a walk: those that began with an example, and the demo, in the order they are shown in. */
export const WITH_WALK: ReadonlySet<string> = new Set([
  'copies-for-all',
  'topic-to-queues',
  'work-with-retry',
  'sensors-over-mqtt',
  'two-sites',
  'through-apps',
  'auklet-ferries',
]);
