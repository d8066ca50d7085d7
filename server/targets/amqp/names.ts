/** Names of what we put on a broker for a moment; nothing of anybody else's begins so. */
export const OUR_PREFIX = 'vondle.passing.';

/** Tags of consumers that carry links: they are ours, and nobody's who would be cut off. */
export const LINK_TAG = 'vondle.link.';

/** A message that a remote alias sends is marked by this header with the address it goes to, as the topology writes it. */
export const LINK_MARK = 'vondle-to';

/** Names of the queues, and subscriptions, by which taps listen. */
export const TAP_PREFIX = `${OUR_PREFIX}tap.`;
