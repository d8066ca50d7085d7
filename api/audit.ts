/** The trail of what people did. */
import { date, string, type InferType } from 'yup';
import { list, map, maybeWhole, record, text, time, whole, yes } from './kinds.ts';
import type { Routes } from './route.ts';

/** Which lines of the trail are asked for. */
export const askedAudit = record({
  who: string().max(100),
  action: string().max(100),
  /** Only lines before the one of this number. */
  before: maybeWhole(),
  from: date(),
  to: date(),
});

const line = record(
  { id: whole(), at: time(), who: text().nullable(), action: text(), details: map().required() },
  'AuditLine',
);
export type AuditLine = InferType<typeof line>;

export const auditRoutes = {
  'GET /topologies/:slug/audit': {
    what: 'What people did, the newest first, a page of it',
    door: 'read',
    query: askedAudit,
    answer: record({ lines: list(line), more: yes(), actions: list(text()) }),
  },
  'GET /topologies/:slug/audit.ndjson': {
    what: 'All that people did, as a file',
    door: 'read',
    query: askedAudit,
    type: 'application/x-ndjson',
    answer: line,
  },
} as const satisfies Routes;
