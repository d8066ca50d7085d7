import type { AddressInfo } from 'node:net';
import { Hono } from 'hono';
import type { Env } from '../http/session.ts';
import { Metrics, serveMetrics } from './metrics.ts';

const sources = {
  pool: { totalCount: 5, idleCount: 2, waitingCount: 1 },
  lanes: () => [{ lane: 'quick', waiting: 3, done: 9 }],
  carrying: () => 2,
};

test('are served at a port of their own, and nothing else there', async () => {
  const server = serveMetrics(new Metrics(sources), '127.0.0.1', 0);
  await new Promise((done) => server.once('listening', done));
  const at = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
  const answer = await fetch(`${at}/metrics`);
  expect(answer.headers.get('content-type')).toContain('text/plain');
  const lines = (await answer.text()).split('\n');
  for (const line of [
    'vondle_database_connections{state="in use"} 3',
    'vondle_database_connections{state="idle"} 2',
    'vondle_database_connections{state="waited for"} 1',
    'vondle_work_waiting{lane="quick"} 3',
    'vondle_work_done{lane="quick"} 9',
    'vondle_rollouts_carried 2',
  ])
    expect(lines).toContain(line);
  for (const [path, method] of [
    ['/', 'GET'],
    ['/metrics', 'POST'],
    ['/metrics/x', 'GET'],
    ['/api/topologies', 'GET'],
  ] as const)
    expect((await fetch(at + path, { method })).status).toBe(404);
  server.closeAllConnections();
  await new Promise((done) => server.close(done));
});

test('requests count by the pattern of their route, whatever is asked for', async () => {
  const metrics = new Metrics(sources);
  const app = new Hono<Env>();
  app.use(async (c, next) => {
    await next();
    metrics.answered(c, 12);
  });
  app.get('/api/topologies/:slug', (c) => c.json({}));
  app.post('/api/session', (c) => c.json({}, 401));
  app.all('/api/*', (c) => c.json({}, 404));
  for (const path of ['/api/topologies/a', '/api/topologies/b', '/api/nowhere/at/all'])
    await app.request(path);
  await app.request('/api/session', { method: 'POST' });
  const text = await metrics.registry.metrics();
  expect(text).toContain(
    'vondle_http_request_seconds_count{method="GET",route="/api/topologies/:slug",status="200"} 2',
  );
  expect(text).toContain('vondle_http_request_seconds_count{method="GET",route="none",status="404"} 1');
  expect(text).toContain('vondle_sign_ins_failed_total 1');
});

test('who listens counts for as long as they do, once', async () => {
  const metrics = new Metrics(sources);
  const ends = [metrics.listening(), metrics.listening()];
  expect(await metrics.registry.metrics()).toContain('vondle_live_streams 2');
  ends[0]!();
  ends[0]!();
  expect(await metrics.registry.metrics()).toContain('vondle_live_streams 1');
});
