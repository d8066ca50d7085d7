/**
 * What the page and the worker behind it say to each other: the functions of `CoreWorker`, with values of
 * `views.ts`. A page that was loaded before a new version was put up may meet a worker of the new one.
 */

/** Goes up by one whenever a function of the worker, or a value it takes or gives, becomes another. */
export const PROTOCOL = 10;

/** Said where the two do not understand each other. */
export const OTHER_VERSION =
  'A newer version of this page was put up meanwhile. Load the page again; what you typed is kept.';
