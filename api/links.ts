/** Links of a topology's environments, and how they are carried. */
import type { InferType } from 'yup';
import { list, record, text, whole, yes } from './kinds.ts';
import type { Routes } from './route.ts';

const link = record(
  {
    environment: text(),
    link: text(),
    /** Whether both ends are reached. */
    runs: yes(),
    /** What is in its way. */
    why: text().nullable(),
    /** Messages carried since the process that answers took it up. */
    carried: whole(),
    /** Messages that stay in its queue, since its keys do not let them through. */
    held: whole(),
  },
  'Link',
);
export type LinkEntry = InferType<typeof link>;

export const linkRoutes = {
  'GET /topologies/:slug/links': {
    what: 'How its links are carried, in every environment in which something stands',
    more: 'As far as the process that answers knows: a link that another one carries says so.',
    door: 'read',
    answer: list(link),
  },
} as const satisfies Routes;
