/** The kinds of brokers there are. Adding one is adding a folder here and a line below. */
import { type AmqpBrokerDecl, amqpBroker } from './amqp/declares.ts';
import { type PubsubBrokerDecl, pubsubBroker } from './pubsub/declares.ts';
import { variant } from '../language/shape.ts';

/** A broker of any kind, told apart by `kind`. */
export const broker = variant('kind', { amqp: amqpBroker, pubsub: pubsubBroker });

export type BrokerDecl = AmqpBrokerDecl | PubsubBrokerDecl;
