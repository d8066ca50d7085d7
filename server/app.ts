import { serveStatic } from '@hono/node-server/serve-static';
import { compress } from 'hono/compress';
import { Hono } from 'hono';
import { bodyLimit } from 'hono/body-limit';
import { secureHeaders } from 'hono/secure-headers';
import type { Logger } from 'pino';
import type { Database } from './db/connect.ts';
import { targetRoutes } from './environments/routes.ts';
import { LARGEST_BODY } from './http/input.ts';
import { notFound, Problem, problemResponse } from './http/problem.ts';
import { sameOrigin, signedIn, type Env } from './http/session.ts';
import { sessionRoutes } from './people/routes.ts';
import { revisionRoutes } from './revisions/routes.ts';
import { rolloutRoutes } from './rollouts/routes.ts';
import type { Rollouts } from './rollouts/service.ts';
import type { Sealer } from './secrets.ts';
import { topologyRoutes } from './topologies/routes.ts';

export interface Parts {
  readonly db: Database;
  readonly log: Logger;
  readonly sealer: Sealer;
  readonly rollouts: Rollouts;
  /** The folder of the built interface; without one only the API is served. */
  readonly web?: string;
}

/** Puts the server together. */
export function createApp({ db, log, sealer, rollouts, web }: Parts): Hono<Env> {
  const app = new Hono<Env>();
  app.onError((error, c) => {
    if (error instanceof Problem) return problemResponse(c, error);
    log.error({ error, path: c.req.path, method: c.req.method }, 'request failed');
    return problemResponse(
      c,
      new Problem(500, 'Something broke', 'The server could not do this; its log says why.'),
    );
  });
  app.use(
    secureHeaders({
      contentSecurityPolicy: {
        defaultSrc: ["'self'"],
        styleSrc: ["'self'", "'unsafe-inline'"],
        imgSrc: ["'self'", 'data:', 'blob:'],
        workerSrc: ["'self'", 'blob:'],
        frameAncestors: ["'none'"],
      },
    }),
  );
  app.use(async (c, next) => {
    const began = performance.now();
    await next();
    const ms = Math.round(performance.now() - began);
    log[c.res.status >= 500 ? 'error' : 'debug']({
      method: c.req.method,
      path: c.req.path,
      status: c.res.status,
      ms,
    });
  });
  app.use('/api/*', sameOrigin);
  app.use(
    '/api/*',
    bodyLimit({
      maxSize: LARGEST_BODY,
      onError: (c) =>
        problemResponse(c, new Problem(413, 'Too large', 'The request body is larger than 32 MiB.')),
    }),
  );
  app.get('/api/health', (c) => c.json({ ok: true }));
  app.route('/api/session', sessionRoutes(db));
  app.use('/api/topologies/*', signedIn(db));
  for (const routes of [
    topologyRoutes(db),
    revisionRoutes(db),
    targetRoutes(db, sealer),
    rolloutRoutes(db, rollouts),
  ]) {
    app.route('/api/topologies', routes);
  }
  app.all('/api/*', (c) => problemResponse(c, notFound(`route ${c.req.path}`)));
  if (web) {
    app.use(compress());
    app.use(
      '/assets/*',
      serveStatic({
        root: web,
        onFound: (_, c) => c.header('cache-control', 'public, max-age=31536000, immutable'),
      }),
    );
    app.use(serveStatic({ root: web }));
    // every other address belongs to the interface's own router
    app.get('*', serveStatic({ root: web, path: 'index.html' }));
  }
  return app;
}
