import { Hono } from 'hono';
import { stream } from 'hono/streaming';
import { askedAudit } from '@vondle/api';
import type { Database } from '../db/connect.ts';
import { Budget } from '../http/budget.ts';
import { check } from '../http/input.ts';
import type { Env } from '../http/session.ts';
import { allowed } from '../topologies/service.ts';
import { actionsOf, auditOf } from './store.ts';

/** Lines of one page, and of what is read at once for an export. */
const PAGE = 100;
const PIECE = 500;

/** What people did in a topology: a trail that only grows. */
export function auditRoutes(db: Database): Hono<Env> {
  const exporting = new Budget({ all: 8, each: 1 }, 'trails being exported');
  const query = (all: Record<string, string>) => {
    const { before, from, to, ...rest } = all;
    return check(askedAudit, {
      ...rest,
      ...(before === undefined ? {} : { before: Number(before) }),
      ...(from === undefined ? {} : { from: new Date(from) }),
      ...(to === undefined ? {} : { to: new Date(to) }),
    });
  };
  return new Hono<Env>()
    .get('/:slug/audit', async (c) => {
      const topology = await allowed(db, c.get('person'), c.req.param('slug'), 'read');
      const wanted = query(c.req.query());
      const [lines, actions] = await Promise.all([
        auditOf(db, topology.id, wanted, PAGE + 1),
        actionsOf(db, topology.id),
      ]);
      return c.json({ lines: lines.slice(0, PAGE), more: lines.length > PAGE, actions });
    })
    .get('/:slug/audit.ndjson', async (c) => {
      const topology = await allowed(db, c.get('person'), c.req.param('slug'), 'read');
      const wanted = query(c.req.query());
      const release = exporting.take(`person ${c.get('person').id}`, 1);
      c.header('content-type', 'application/x-ndjson');
      c.header('content-disposition', 'attachment; filename="audit.ndjson"');
      return stream(c, async (out) => {
        try {
          for (let { before } = wanted; !out.aborted;) {
            const lines = await auditOf(db, topology.id, { ...wanted, before }, PIECE);
            for (const line of lines) await out.write(`${JSON.stringify(line)}\n`);
            if (lines.length < PIECE) return;
            before = lines.at(-1)!.id;
          }
        } finally {
          release();
        }
      });
    });
}
