/** What a process tells of itself to whoever collects it (the Prometheus text format). */
import { createServer, type Server } from 'node:http';
import type { Alert, Look, StoreNow } from '@vondle/core/analysis';
import type { Context } from 'hono';
import { matchedRoutes } from 'hono/route';
import type { Pool } from 'pg';
import { collectDefaultMetrics, Counter, Gauge, Histogram, Registry } from 'prom-client';

import type { RoundHealth } from '../work/rounds.ts';

/** What is asked anew each time the numbers are collected. */
export interface Sources {
  readonly pool: Pick<Pool, 'totalCount' | 'idleCount' | 'waitingCount'>;
  /** Tasks of each lane of threads: waiting, and how many were done. */
  readonly lanes: () => readonly { readonly lane: string; readonly waiting: number; readonly done: number }[];
  /** Rollouts this process carries out now. */
  readonly carrying: () => number;
  /** Links this process carries now. */
  readonly links?: () => readonly {
    readonly topologyId: number;
    readonly environment: string;
    readonly link: string;
    readonly runs: boolean;
    readonly carried: number;
    readonly held: number;
  }[];
  /** How the rounds of this process are doing. */
  readonly rounds?: () => readonly RoundHealth[];
  /** The newest look at each environment that this process looks at. */
  readonly watched?: () => readonly {
    readonly topologyId: number;
    readonly environment: string;
    readonly look: Look;
    readonly alerts: readonly Alert[];
  }[];
}

/** So many stores are told: more would be a burden to who collects them. */
const MOST_STORES = 5000;

export class Metrics {
  readonly registry = new Registry();
  private readonly requests = new Histogram({
    name: 'vondle_http_request_seconds',
    help: 'Time from a request’s head to its answer’s head, by route.',
    labelNames: ['method', 'route', 'status'],
    buckets: [0.005, 0.02, 0.1, 0.3, 1, 3, 10, 30],
    registers: [this.registry],
  });
  private readonly refused = new Counter({
    name: 'vondle_sign_ins_failed_total',
    help: 'Attempts to sign in that were refused.',
    registers: [this.registry],
  });
  private readonly streams = new Gauge({
    name: 'vondle_live_streams',
    help: 'Browsers that listen to what goes on.',
    registers: [this.registry],
  });
  private readonly hooks = new Counter({
    name: 'vondle_webhook_deliveries_total',
    help: 'Events sent to webhooks, by how that ended.',
    labelNames: ['outcome'],
    registers: [this.registry],
  });

  constructor(sources: Sources) {
    const registers = [this.registry];
    collectDefaultMetrics({ register: this.registry });
    new Gauge({
      name: 'vondle_database_connections',
      help: 'Connections to the database, and requests that wait for one.',
      labelNames: ['state'],
      registers,
      collect() {
        const { totalCount, idleCount, waitingCount } = sources.pool;
        this.set({ state: 'in use' }, totalCount - idleCount);
        this.set({ state: 'idle' }, idleCount);
        this.set({ state: 'waited for' }, waitingCount);
      },
    });
    new Gauge({
      name: 'vondle_work_waiting',
      help: 'Tasks that wait for a thread, by lane.',
      labelNames: ['lane'],
      registers,
      collect() {
        for (const { lane, waiting } of sources.lanes()) this.set({ lane }, waiting);
      },
    });
    new Gauge({
      name: 'vondle_work_done',
      help: 'Tasks that threads have done since the start, by lane.',
      labelNames: ['lane'],
      registers,
      collect() {
        for (const { lane, done } of sources.lanes()) this.set({ lane }, done);
      },
    });
    new Gauge({
      name: 'vondle_round_seconds',
      help: 'Seconds since the last turn of each round ended: of links, taps and watch.',
      labelNames: ['round'],
      registers,
      collect() {
        for (const { name, seconds } of sources.rounds?.() ?? []) this.set({ round: name }, seconds);
      },
    });
    const linkLabels = ['topology', 'environment', 'link'] as const;
    for (const [name, help, value] of [
      [
        'vondle_link_running',
        'Whether messages can pass a link that this process carries or cannot take up.',
        'runs',
      ],
      ['vondle_link_messages', 'Messages carried over a link since this process took it up.', 'carried'],
      [
        'vondle_link_held',
        'Messages that stay in the queue of a link, since its keys do not let them through.',
        'held',
      ],
    ] as const)
      new Gauge({
        name,
        help,
        labelNames: linkLabels,
        registers,
        collect() {
          this.reset();
          for (const each of sources.links?.() ?? [])
            this.set(
              { topology: String(each.topologyId), environment: each.environment, link: each.link },
              Number(each[value]),
            );
        },
      });
    const storeLabels = ['topology', 'environment', 'broker', 'store'] as const;
    for (const [name, help, value] of [
      ['vondle_store_waiting', 'Messages that wait in a store.', ({ waiting }) => waiting],
      ['vondle_store_in_hand', 'Messages of a store that takers have in hand.', ({ inHand }) => inHand],
      ['vondle_store_delayed', 'Messages in a store that are not to be taken yet.', ({ delayed }) => delayed],
      ['vondle_store_takers', 'Takers connected to a store.', ({ takers }) => takers.length],
      ['vondle_store_came', 'Messages that came to a store, as its broker counts.', ({ came }) => came],
      ['vondle_store_went', 'Messages settled of a store, as its broker counts.', ({ went }) => went],
    ] as const satisfies readonly [string, string, (store: StoreNow) => number | undefined][])
      new Gauge({
        name,
        help,
        labelNames: storeLabels,
        registers,
        collect() {
          this.reset();
          let left = MOST_STORES;
          for (const { topologyId, environment, look } of sources.watched?.() ?? [])
            for (const { broker, stores } of look.brokers)
              for (const store of stores) {
                const told = value(store);
                if (told === undefined || left-- <= 0) continue;
                this.set({ topology: String(topologyId), environment, broker, store: store.name }, told);
              }
        },
      });
    new Gauge({
      name: 'vondle_alert_off',
      help: 'An alert of a topology that is off, for as long as it is.',
      labelNames: ['topology', 'environment', 'alert', 'broker', 'name'] as const,
      registers,
      collect() {
        this.reset();
        let left = MOST_STORES;
        for (const { topologyId, environment, alerts } of sources.watched?.() ?? [])
          for (const { rule, broker, name, off } of alerts)
            if (off && left-- > 0)
              this.set({ topology: String(topologyId), environment, alert: rule, broker, name }, 1);
      },
    });
    new Gauge({
      name: 'vondle_rollouts_carried',
      help: 'Rollouts that this process carries out now.',
      registers,
      collect() {
        this.set(sources.carrying());
      },
    });
  }

  /** A request was answered. Its route is told by its pattern: no address and no name is ever a label. */
  answered(c: Context, ms: number): void {
    const route =
      matchedRoutes(c).findLast(({ method, path }) => method !== 'ALL' && !path.includes('*'))?.path ??
      'none';
    this.requests.observe({ method: c.req.method, route, status: c.res.status }, ms / 1000);
    if (route === '/api/session' && c.req.method === 'POST' && c.res.status >= 400) this.refused.inc();
  }

  /** Somebody listens. @returns what is called once they do not any more */
  listening(): () => void {
    this.streams.inc();
    let over = false;
    return () => {
      if (!over) this.streams.dec();
      over = true;
    };
  }

  delivered(outcome: 'taken' | 'refused' | 'given up'): void {
    this.hooks.inc({ outcome });
  }
}

/**
 * Serves the numbers at a port of their own, for the collector alone: what a proxy leads to the application does not
 * lead here.
 */
export function serveMetrics(metrics: Metrics, host: string, port: number): Server {
  const server = createServer((request, response) => {
    if (request.method !== 'GET' || request.url !== '/metrics') {
      response.writeHead(404).end();
      return;
    }
    metrics.registry.metrics().then(
      (text) => response.writeHead(200, { 'content-type': metrics.registry.contentType }).end(text),
      () => response.writeHead(500).end(),
    );
  });
  server.requestTimeout = 10_000;
  server.maxConnections = 50;
  server.listen(port, host);
  return server;
}
