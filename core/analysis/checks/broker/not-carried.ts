import { check } from '../check.ts';

/** Names, keys and header values that the protocol has no way to say, or that come back otherwise. */
export const notCarried = check({
  id: 'broker/not-carried',
  severity: 'error',
  finds:
    'A name, key or header value of a binding that AMQP 0-9-1 cannot carry, or that a broker tells otherwise than it was told.',
  why: 'It cannot be declared on a real broker, or what is read back would differ from it for ever: a rollout would never be done.',
  of: 'node',
  run: (node, context) => {
    const { thing } = node;
    const found = context.broker(thing.broker)?.kind.unsayable(node) ?? [];
    return found.map(({ message, place }) => ({ message, place, about: thing.id }));
  },
});

/** The same of what is declared on a broker without a name. */
export const notCarriedUnnamed = check({
  ...notCarried,
  of: 'broker',
  run: ({ name }, context) =>
    context.unsayable(name).map(({ message, place }) => ({ message, place, about: `broker:${name}` })),
});
