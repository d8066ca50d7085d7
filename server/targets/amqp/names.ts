/** Names of what we put on a broker for a moment; nothing of anybody else's begins so. */
export const OUR_PREFIX = 'vondle.passing.';
