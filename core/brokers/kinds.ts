/** The kinds of brokers there are. Adding one is adding a folder here and two lines below. */
import { type AmqpBrokerDecl, amqpBroker } from './amqp/declares.ts';
import { amqp } from './amqp/kind.ts';
import type { BrokerKind } from './kind.ts';
import { type PubsubBrokerDecl, pubsubBroker } from './pubsub/declares.ts';
import { pubsub } from './pubsub/kind.ts';
import { type Shape, variant } from '../language/shape.ts';

/** A broker of any kind, told apart by `kind`. */
export const broker = variant('kind', { amqp: amqpBroker, pubsub: pubsubBroker });

export type BrokerDecl = AmqpBrokerDecl | PubsubBrokerDecl;

const KINDS: Readonly<Record<BrokerDecl['variant'], BrokerKind<never>>> = { amqp, pubsub };
const SHAPES: Readonly<Record<BrokerDecl['variant'], Shape<unknown>>> = broker.variants as Record<
  BrokerDecl['variant'],
  Shape<unknown>
>;

/** @returns the kind of a declared broker */
export const kindOf = ({ variant: id }: BrokerDecl): BrokerKind<BrokerDecl> =>
  KINDS[id] as unknown as BrokerKind<BrokerDecl>;

/** @returns everything that is declared on a broker by name: the same maps for as long as nothing of them changes */
export const itemsOn = (decl: BrokerDecl): readonly (ReadonlyMap<string, unknown> | undefined)[] =>
  kindOf(decl)
    .resources(decl)
    .map(([, items]) => items);

/** @returns what can be declared of a broker of its kind */
export const shapeOf = ({ variant: id }: BrokerDecl): Shape<unknown> => SHAPES[id];

/** @returns what an AMQP 0-9-1 broker declares, for targets that are such brokers; undefined for any other */
export const asAmqp = (decl: BrokerDecl | undefined): AmqpBrokerDecl | undefined =>
  decl?.variant === 'amqp' ? decl : undefined;

/** @returns what a publish-subscribe service declares, for targets that are such services; undefined for any other */
export const asHosted = (decl: BrokerDecl | undefined): PubsubBrokerDecl | undefined =>
  decl?.variant === 'pubsub' ? decl : undefined;
