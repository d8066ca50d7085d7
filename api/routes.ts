/** All routes, and their types by name. */
import { auditRoutes } from './audit.ts';
import { credentialRoutes } from './credentials.ts';
import { draftRoutes } from './drafts.ts';
import { list, map, record, text, yes } from './kinds.ts';
import { linkRoutes } from './links.ts';
import { memberRoutes } from './members.ts';
import { messageRoutes } from './messages.ts';
import { peopleRoutes } from './people.ts';
import { proposalRoutes } from './proposals.ts';
import { revisionRoutes } from './revisions.ts';
import { rolloutRoutes } from './rollouts.ts';
import type { Route, Routes } from './route.ts';
import { targetRoutes } from './targets.ts';
import { tapRoutes } from './taps.ts';
import { topologyRoutes } from './topologies.ts';
import { watchRoutes } from './watch.ts';
import { webhookRoutes } from './webhooks.ts';

const serviceRoutes = {
  'GET /health': { what: 'Whether the process is alive', door: 'open', answer: record({ alive: yes() }) },
  'GET /ready': {
    what: 'Whether it can serve: its database answers and is up to date, and no round of its work is stuck',
    more: 'Status 503 where not.',
    door: 'open',
    answer: record({ ready: yes(), stuck: list(text()) }),
  },
  'GET /openapi.json': { what: 'This description', door: 'open', answer: map().required() },
} as const satisfies Routes;

/** Routes by what they are about. */
export const CHAPTERS = {
  'Signing in': peopleRoutes,
  Topologies: topologyRoutes,
  Drafts: draftRoutes,
  Revisions: revisionRoutes,
  Proposals: proposalRoutes,
  People: memberRoutes,
  Audit: auditRoutes,
  Webhooks: webhookRoutes,
  Targets: targetRoutes,
  Rollouts: rolloutRoutes,
  Links: linkRoutes,
  Watch: watchRoutes,
  Messages: messageRoutes,
  Taps: tapRoutes,
  'Users of apps': credentialRoutes,
  Service: serviceRoutes,
} as const satisfies Readonly<Record<string, Routes>>;

export const ROUTES = {
  ...peopleRoutes,
  ...topologyRoutes,
  ...draftRoutes,
  ...revisionRoutes,
  ...proposalRoutes,
  ...memberRoutes,
  ...auditRoutes,
  ...webhookRoutes,
  ...targetRoutes,
  ...rolloutRoutes,
  ...linkRoutes,
  ...tapRoutes,
  ...watchRoutes,
  ...messageRoutes,
  ...credentialRoutes,
  ...serviceRoutes,
} as const satisfies Routes;

/** @returns the status of a route's answer where it is no problem */
export const statusOf = ({ status, answer, type }: Route): number => status ?? (answer || type ? 200 : 204);
