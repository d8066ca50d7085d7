export { type BrokerDecl, asAmqp, kindOf } from './kinds.ts';
