export { type BrokerDecl, asAmqp, asHosted, kindOf } from './kinds.ts';
