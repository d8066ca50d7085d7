/**
 * What the server answers: every route with who may ask it, what it takes and what it gives, as schemas. The
 * server checks what comes in by them, its description for others (OpenAPI) is made of them, and the interface
 * has its types from them.
 */
export * from './audit.ts';
export * from './credentials.ts';
export * from './documents.ts';
export * from './events.ts';
export * from './drafts.ts';
export * from './links.ts';
export * from './members.ts';
export * from './messages.ts';
export * from './paths.ts';
export * from './people.ts';
export * from './proposals.ts';
export * from './revisions.ts';
export * from './rollouts.ts';
export * from './routes.ts';
export * from './targets.ts';
export * from './topologies.ts';
export * from './taps.ts';
export * from './watch.ts';
export * from './webhooks.ts';
export { openapi, type OpenApi, type Operation } from './openapi.ts';
export type { Door, Route, Routes, Want } from './route.ts';
