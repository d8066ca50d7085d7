/** What webhooks can be told of. Holds no schemas, for whoever only shows it. */

/** What is told, by the type of its event (CloudEvents 1.0 §3.1.1). */
export const EVENTS = {
  'vondle.proposal.opened': 'a draft is proposed',
  'vondle.proposal.approved': 'a proposal is approved',
  'vondle.proposal.changes-asked': 'changes are asked for',
  'vondle.proposal.commented': 'something is said to a proposal',
  'vondle.proposal.withdrawn': 'a proposal is withdrawn',
  'vondle.revision.saved': 'a revision is saved',
  'vondle.rollout.planned': 'a rollout is planned',
  'vondle.rollout.consented': 'a rollout is consented to',
  'vondle.rollout.started': 'a rollout is started',
  'vondle.rollout.ended': 'a rollout is over',
  'vondle.alert.began': 'an alert of a running environment goes off',
  'vondle.alert.ended': 'an alert is over',
} as const;
export type EventType = keyof typeof EVENTS;
