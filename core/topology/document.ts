/** The root of a topology document: every section of the language, version 1. */
import { broker } from '../brokers/kinds.ts';
import { app } from '../language/app.ts';
import { environment, parameter } from '../language/environment.ts';
import { expectation } from '../language/expectation.ts';
import { link } from '../language/link.ts';
import { messageType } from '../language/message.ts';
import { reviewing } from '../language/review.ts';
import { sample } from '../language/sample.ts';
import { type Infer, field, id, integer, list, mapOf, object } from '../language/shape.ts';
import { spread } from '../language/spread.ts';
import { statement } from '../language/statement.ts';
import { label, tenant } from '../language/tenant.ts';
import { alertRule, tap } from '../language/watching.ts';

/** The root of a topology document. */
export const document = object(
  {
    vondle: field(integer(1, 1), 'the version of this language: 1', { repeats: true, otherwise: '`1`' }),
    topology: field(id('this topology'), 'the topology’s id', { repeats: true, otherwise: '`topology`' }),
    tenant: field(id('a tenant'), 'the default owner of everything', { repeats: true, otherwise: 'nobody' }),
    tenants: field(mapOf(tenant, 'id'), 'organisations and accounts that own things'),
    labels: field(
      mapOf(label, 'id'),
      'data labels; personal and financial are guarded unless said otherwise',
    ),
    parameters: field(mapOf(parameter, 'parameter'), 'values that differ between environments'),
    environments: field(mapOf(environment, 'id'), 'sets of parameter values'),
    messages: field(mapOf(messageType, 'id'), 'message types'),
    apps: field(mapOf(app, 'id'), 'publishers and takers'),
    brokers: field(mapOf(broker, 'id'), 'message servers'),
    links: field(mapOf(link, 'id'), 'store-and-forward paths between brokers'),
    spreads: field(mapOf(spread, 'id'), 'one name for the same queue on several brokers'),
    access: field(list(statement, { adds: true }), 'who may do what to what'),
    review: field(reviewing, 'who must agree before a proposal becomes a revision', {
      otherwise: 'a draft becomes one as it is',
    }),
    samples: field(list(sample, { adds: true }), 'messages kept, to be followed again at every change'),
    expectations: field(list(expectation, { adds: true }), 'routing promises, proved on every revision'),
    watch: field(list(alertRule, { adds: true }), 'alerts of a running environment'),
    taps: field(list(tap, { adds: true }), 'copies of what passes a place, kept for a time'),
  },
  { adds: true },
);

export type DocumentDecl = Infer<typeof document>;
