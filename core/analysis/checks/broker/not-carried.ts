import { check } from '../check.ts';
import { kindOf } from '../../../brokers/kinds.ts';

/** Names, keys and header values that the protocol has no way to say, or that come back otherwise. */
export const notCarried = check({
  id: 'broker/not-carried',
  severity: 'error',
  finds:
    'A name, key or header value of a binding that AMQP 0-9-1 cannot carry, or that a broker tells otherwise than it was told.',
  why: 'It cannot be declared on a real broker, or what is read back would differ from it for ever: a rollout would never be done.',
  of: 'broker',
  run: ({ name: broker, decl }) =>
    kindOf(decl)
      .unsayable(decl)
      .map(({ message, place, of }) => ({
        message,
        place,
        about: of ? `${of.kind}:${broker}/${of.name}` : `broker:${broker}`,
      })),
});
