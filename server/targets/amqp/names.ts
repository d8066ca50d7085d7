/** Names of what we put on a broker for a moment; nothing of anybody else's begins so. */
export const OUR_PREFIX = 'vondle.passing.';

/** Tags of consumers that carry links: they are ours, and nobody's who would be cut off. */
export const LINK_TAG = 'vondle.link.';
