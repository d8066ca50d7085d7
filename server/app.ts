import { openapi } from '@vondle/api';
import { Hono } from 'hono';
import { secureHeaders } from 'hono/secure-headers';
import type { Logger } from 'pino';
import type { Connection, Database } from './db/connect.ts';
import { forTheLog, isAway, isValueRefused } from './db/trouble.ts';
import { draftRoutes } from './drafts/routes.ts';
import { targetRoutes } from './environments/routes.ts';
import { addressReader } from './http/address.ts';
import { Budget } from './http/budget.ts';
import { Intake, type Patience } from './http/input.ts';
import { builtInterface } from './http/interface.ts';
import { away, notFound, Problem, problemResponse } from './http/problem.ts';
import { CONTENT_POLICY, sameOrigin, signedIn, type Env } from './http/session.ts';
import type { Changes } from './live/changes.ts';
import { liveRoutes } from './live/routes.ts';
import type { Metrics } from './metrics/metrics.ts';
import { auditRoutes } from './audit/routes.ts';
import { invitedRoutes } from './members/invited.ts';
import { memberRoutes } from './members/routes.ts';
import { inboxRoutes, proposalRoutes } from './proposals/routes.ts';
import { tokenRoutes } from './tokens/routes.ts';
import { Attempts } from './people/attempts.ts';
import type { OpenIdConnect } from './people/openid.ts';
import { sessionRoutes } from './people/routes.ts';
import { revisionRoutes } from './revisions/routes.ts';
import { rolloutRoutes } from './rollouts/routes.ts';
import { credentialRoutes } from './credentials/routes.ts';
import { messageRoutes } from './messages/routes.ts';
import type { Messages } from './messages/service.ts';
import { tapRoutes } from './taps/routes.ts';
import type { Taps } from './taps/service.ts';
import { linkRoutes } from './links/routes.ts';
import type { Rollouts } from './rollouts/service.ts';
import type { Sealer } from './secrets.ts';
import type { Allowed } from './targets/allowed.ts';
import type { BuiltIn } from './targets/amqp/built-in.ts';
import type { BuiltInHosted } from './targets/hosted/built-in.ts';
import type { Watching } from './watch/service.ts';
import type { MadeUpApps } from './demo/made-up.ts';
import { madeUpRoutes } from './demo/routes.ts';
import { watchRoutes } from './watch/routes.ts';
import { webhookRoutes } from './webhooks/routes.ts';
import { topologyRoutes } from './topologies/routes.ts';
import packageOfServer from './package.json' with { type: 'json' };
import type { Work } from './work/pool.ts';
import type { RoundHealth } from './work/rounds.ts';

export interface Parts {
  readonly connection: Connection;
  readonly log: Logger;
  readonly sealer: Sealer;
  /** Where targets may lead. */
  readonly allowed: Allowed;
  /** The broker that came with the installation. */
  readonly builtIn?: BuiltIn;
  /** The publish-subscribe service that came with it. */
  readonly builtInHosted?: BuiltInHosted;
  readonly rollouts: Rollouts;
  /** Rounds of this process, of which none may be stuck. */
  readonly rounds?: readonly { readonly health: RoundHealth }[];
  readonly messages: Messages;
  readonly taps: Taps;
  /** Looks at environments. */
  readonly watching: Pick<Watching, 'drift'>;
  /** Lets apps run, made up, on the brokers that came with the installation. */
  readonly madeUp?: MadeUpApps;
  readonly work: Work;
  readonly changes: Changes;
  readonly metrics: Metrics;
  /** Somebody else by whose word people sign in. */
  readonly issuer?: OpenIdConnect;
  /** By which other systems know this server: its host as people see it. */
  readonly origin?: string;
  /** What cookies of known browsers are sealed with. */
  readonly secret: string;
  /** Whether the tables are up to date; until then only health is told. */
  readonly ready: () => boolean;
  /** Addresses of proxies whose X-Forwarded-For is believed. */
  readonly proxies?: readonly string[];
  readonly patience?: Patience;
  /** Milliseconds after which a request is answered whatever it waits for, where a test wants less. */
  readonly requestMs?: number;
  /** The folder of the built interface; without one only the API is served. */
  readonly web?: string;
}

/** The version of the server, as its package says. */
const { version: VERSION } = packageOfServer;
/** Milliseconds after which a request is answered, whatever it waits for; longer than any task or body may take. */
const REQUEST_MS = 150_000;
const TOO_LATE =
  'The server took too long to answer. What was asked for may have been done: look before you ask again.';
/** How long the database may take to answer before this process is said not to be ready. */
const READY_MS = 2000;

/** Puts the server together. */
export function createApp(parts: Parts): Hono<Env> {
  const { connection, log, sealer, allowed, rollouts, work, changes } = parts;
  const { db } = connection;
  const app = new Hono<Env>();
  app.onError((error, c) => {
    if (error instanceof Problem) return problemResponse(c, error);
    if (isAway(error)) return problemResponse(c, away());
    if (isValueRefused(error))
      return problemResponse(
        c,
        new Problem(422, 'Not understood', 'A value is of a kind that cannot be stored.'),
      );
    log.error(
      { err: forTheLog(error), path: c.req.path.slice(0, 200), method: c.req.method },
      'request failed',
    );
    return problemResponse(
      c,
      new Problem(500, 'Something broke', 'The server could not do this; its log says why.'),
    );
  });
  app.use(
    secureHeaders({
      contentSecurityPolicy: CONTENT_POLICY,
    }),
  );
  app.use(async (c, next) => {
    const began = performance.now();
    await next();
    const ms = performance.now() - began;
    parts.metrics.answered(c, ms);
    const broke = c.res.status >= 500 && c.res.status !== 503;
    log[broke ? 'error' : 'debug']({
      method: c.req.method,
      path: c.req.path.slice(0, 200),
      status: c.res.status,
      ms: Math.round(ms),
    });
  });
  app.use('/api/*', async (c, next) => {
    let late: NodeJS.Timeout | undefined;
    const deadline = new Promise<never>((_, fail) => {
      late = setTimeout(() => fail(new Problem(504, 'Too late', TOO_LATE)), parts.requestMs ?? REQUEST_MS);
    });
    deadline.catch(() => {});
    try {
      await Promise.race([next(), deadline]);
    } catch (error) {
      if (!(error instanceof Problem)) throw error;
      c.res = problemResponse(c, error);
    } finally {
      clearTimeout(late);
    }
  });
  const intake = new Intake(parts.patience);
  const addressOf = addressReader(parts.proxies ?? []);
  app.use('/api/*', async (c, next) => {
    c.set('intake', intake);
    c.set('metrics', parts.metrics);
    c.set('address', addressOf(c));
    c.header('cache-control', 'no-store');
    await next();
  });
  app.get('/api/health', (c) => c.json({ alive: true }));
  app.get('/api/ready', async (c) => {
    const stuck = (parts.rounds ?? []).flatMap(({ health }) => (health.stuck ? [health.name] : []));
    const ready = parts.ready() && stuck.length === 0 && (await answers(db));
    return c.json({ ready, stuck }, ready ? 200 : 503);
  });
  const described = JSON.stringify(openapi(VERSION));
  app.get('/api/openapi.json', (c) => c.body(described, 200, { 'content-type': 'application/json' }));
  app.use('/api/*', async (_, next) => {
    if (!parts.ready()) throw away();
    await next();
  });
  app.use('/api/*', sameOrigin);
  const attempts = new Attempts(connection.pool, parts.secret);
  app.route('/api/session', sessionRoutes(db, attempts, parts));
  app.use('/api/topologies/*', signedIn(db, true));
  app.use('/api/tokens/*', signedIn(db));
  app.use('/api/inbox/*', signedIn(db));
  app.route('/api/inbox', inboxRoutes(db));
  app.route('/api/tokens', tokenRoutes(db));
  app.route('/api/invitations', invitedRoutes(db, attempts));
  /** The texts of drafts and revisions that are being sent, which are held until they are. */
  const sending = new Budget({ all: 256 * 1024 * 1024, each: 128 * 1024 * 1024 }, 'large drafts being read');
  for (const routes of [
    topologyRoutes(db, work, sending),
    draftRoutes(db, work),
    liveRoutes(db, changes),
    memberRoutes(db),
    proposalRoutes(db, work, sending),
    auditRoutes(db),
    revisionRoutes(db, work, sending),
    targetRoutes(db, { sealer, allowed }, work, parts),
    linkRoutes(db),
    watchRoutes(db, parts.watching),
    madeUpRoutes(db, parts.madeUp),
    messageRoutes(db, parts.messages),
    tapRoutes(db, parts.taps),
    credentialRoutes(db, { sealer, allowed }),
    rolloutRoutes(db, rollouts, changes),
    webhookRoutes(db, { sealer, allowed }, parts.origin ?? 'vondle'),
  ]) {
    app.route('/api/topologies', routes);
  }
  app.all('/api/*', (c) => problemResponse(c, notFound('such route')));
  if (parts.web) app.use(builtInterface(parts.web));
  return app;
}

async function answers(db: Database): Promise<boolean> {
  const late = new Promise<boolean>((done) => setTimeout(() => done(false), READY_MS).unref());
  const asked = db.execute('select 1').then(
    () => true,
    () => false,
  );
  return Promise.race([asked, late]);
}
