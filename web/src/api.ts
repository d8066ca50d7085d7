/** The server's API. Errors are problem details (RFC 9457) and come as `ApiProblem`. */
import type { About, AnswerOf, AskedPassed, BodyOf, PartsOf, Reads, Role, RouteName } from '@vondle/api';
import { pathOf } from '@vondle/api/paths';
import type { TextDocument } from '@vondle/core/base';

export class ApiProblem extends Error {
  constructor(
    readonly status: number,
    readonly title: string,
    readonly detail: string,
    readonly more: Record<string, unknown>,
    /** Seconds after which the same may go through. */
    readonly retryAfter?: number,
  ) {
    super(detail);
  }
}

/** The network itself failed: the server was not reached. */
export class Unreachable extends Error {}

/** How often a read that the server had no room for is tried again. */
const MOST_RETRIES = 5;

/** How far the server is with what it tells, or why it ended. */
export type Progress = { told: number; of: number } | { problem: string; detail: string };

/**
 * Reads lines of JSON as the server tells them.
 * @param hear is told how far it is
 * @param stop ends it before all is told
 * @returns all the text, without what was said of how far it is
 */
export async function readLines(
  path: string,
  hear: (so: Progress) => void,
  stop: AbortSignal,
): Promise<Blob> {
  const { body } = await answered(path, { signal: stop });
  const reader = body!.pipeThrough(new TextDecoderStream()).getReader();
  const lines: string[] = [];
  let open = '';
  for (;;) {
    const { done, value } = await reader.read();
    if (done) return new Blob(lines, { type: 'application/x-ndjson' });
    const whole = (open + value).split('\n');
    open = whole.pop()!;
    for (const line of whole)
      if (/^\{"(?:told|problem)"/.test(line)) hear(JSON.parse(line) as Progress);
      else lines.push(`${line}\n`);
  }
}

/** What goes with a request: what is said in its path, after the question mark, and in its body. */
type Asked<R extends RouteName> = ([keyof PartsOf<R>] extends [never] ? object : { at: PartsOf<R> }) &
  ([BodyOf<R>] extends [undefined] ? object : { body: BodyOf<R> }) & { query?: Query };
type Query = Readonly<Record<string, string | number | undefined>>;

/** @returns where a route is, from /api on */
function whereIs<R extends RouteName>(route: R, at: PartsOf<R>, query: Query = {}): string {
  const given = Object.entries(query).filter(([, value]) => value !== undefined && value !== '');
  const said = new URLSearchParams(given.map(([name, value]) => [name, String(value)]));
  return pathOf(route, at) + (given.length ? `?${said}` : '');
}

/**
 * Asks a route of the server; what it takes and answers is typed by its description. Where the server has no room
 * for a moment, a read is asked again after the time it says.
 */
async function ask<R extends RouteName>(route: R, asked: Asked<R>): Promise<AnswerOf<R>> {
  const { at = {}, query, body } = asked as { at?: object; query?: Query; body?: unknown };
  const [method] = route.split(' ') as [string];
  const path = whereIs(route, at as PartsOf<R>, query);
  for (let tried = 0; ; tried++) {
    try {
      return await askOnce<AnswerOf<R>>(method, path, body);
    } catch (error) {
      const again = error instanceof ApiProblem && error.retryAfter !== undefined && error.retryAfter <= 5;
      const harmless =
        method === 'GET' || (error instanceof ApiProblem && error.title === 'Too much at once');
      if (!again || !harmless || tried >= MOST_RETRIES) throw error;
      await new Promise((done) => setTimeout(done, 1000 * error.retryAfter! * (0.5 + Math.random())));
    }
  }
}

async function askOnce<T>(method: string, path: string, data: unknown): Promise<T> {
  const response = await answered(path, {
    method,
    ...(data === undefined
      ? {}
      : { body: JSON.stringify(data), headers: { 'content-type': 'application/json' } }),
  });
  return (response.status === 204 || response.status === 202 ? undefined : await response.json()) as T;
}

async function answered(path: string, init: RequestInit): Promise<Response> {
  let response: Response;
  try {
    response = await fetch(`/api${path}`, init);
  } catch (error) {
    if (init.signal?.aborted) throw error;
    throw new Unreachable('The server cannot be reached.');
  }
  if (!response.ok) {
    const problem = (await response.json().catch(() => ({}))) as Record<string, unknown>;
    const { title = 'Failed', detail = `The server answered ${response.status}.`, ...more } = problem;
    const after = Number(response.headers.get('retry-after') ?? NaN);
    throw new ApiProblem(
      response.status,
      String(title),
      String(detail),
      more,
      Number.isNaN(after) ? undefined : after,
    );
  }
  return response;
}

export type {
  About,
  Agreement,
  AuditLine,
  DraftData,
  DraftHead,
  Glance,
  Invitation,
  InvitedTo,
  Landing,
  LiveState,
  Member,
  Person,
  CredentialEntry,
  HandedOut,
  AlertSeen,
  AlertThen,
  ContradictionSeen,
  Course,
  LinkEntry,
  DriftSeen,
  LookSeen,
  MessageSeen,
  OperationEntry,
  Passed,
  StoreSeen,
  TapSeen,
  Places,
  Probe,
  ProbeCase,
  Proposal,
  ProposalEntry,
  RevisionEntry,
  Role,
  Rollout,
  RolloutEntry,
  RolloutHead,
  RolloutNews,
  RolloutState,
  Scope,
  SessionEntry,
  StepLine,
  Target,
  Thread,
  TokenEntry,
  Tried,
  VerdictEntry,
  Waiting,
  Webhook,
} from '@vondle/api';

/** A topology as who is signed in sees it. */
export interface TopologyRow {
  slug: string;
  name: string;
  role: Role;
  /** The folder whose files are edited, where it is no topology of a server's. */
  local?: string;
}
/** A topology as it stands in a list. */
export type TopologyEntry = TopologyRow & AnswerOf<'GET /topologies'>[number];
/** Which lines of the trail are asked for; none is said by an empty text too. */
export interface AuditAsked {
  who?: string | undefined;
  action?: string | undefined;
  before?: number | undefined;
}

/** What a write of a draft goes on from. */
export interface DraftWrite {
  /** Which draft; the main one where none is said. */
  draft: number | undefined;
  version: number;
  /** The revision the draft goes on from with it. */
  base: number;
}

const NONE = {};
const T = '/topologies/:slug';

export const api = {
  /** What there is to ask, as OpenAPI. */
  described: () => ask('GET /openapi.json', NONE),
  me: () => ask('GET /session', NONE),
  signIn: (handle: string, password: string) => ask('POST /session', { body: { handle, password } }),
  waysToSignIn: () => ask('GET /session/ways', NONE),
  signOut: () => ask('DELETE /session', NONE),
  changePassword: (old: string, password: string) =>
    ask('PUT /session/password', { body: { old, password } }),
  sessions: () => ask('GET /session/all', NONE),
  endOtherSessions: () => ask('DELETE /session/others', NONE),
  tokens: () => ask('GET /tokens', NONE),
  makeToken: (body: BodyOf<'POST /tokens'>) => ask('POST /tokens', { body }),
  endToken: (id: number) => ask('DELETE /tokens/:id', { at: { id } }),
  invitation: (key: string) => ask('GET /invitations/:key', { at: { key } }),
  join: (key: string) => ask('POST /invitations/:key/join', { at: { key } }),
  joinAnew: (key: string, body: BodyOf<'POST /invitations/:key/account'>) =>
    ask('POST /invitations/:key/account', { at: { key }, body }),
  inbox: () => ask('GET /inbox', NONE),
  proposals: (slug: string) => ask(`GET ${T}/proposals`, { at: { slug } }),
  proposal: (slug: string, number: number) => ask(`GET ${T}/proposals/:number`, { at: { slug, number } }),
  agreement: (slug: string, number: number) =>
    ask(`GET ${T}/proposals/:number/agreement`, { at: { slug, number } }),
  propose: (slug: string, body: BodyOf<'POST /topologies/:slug/proposals'>) =>
    ask(`POST ${T}/proposals`, { at: { slug }, body }),
  /** The documents that somebody's verdict is about. */
  verdictOf: (slug: string, number: number, handle: string) =>
    ask(`GET ${T}/proposals/:number/verdicts/:handle`, { at: { slug, number, handle } }),
  say: (slug: string, number: number, body: BodyOf<'POST /topologies/:slug/proposals/:number/verdict'>) =>
    ask(`POST ${T}/proposals/:number/verdict`, { at: { slug, number }, body }),
  keepProposal: (slug: string, number: number, version: number) =>
    ask(`POST ${T}/proposals/:number/keep`, { at: { slug, number }, body: { version } }),
  withdraw: (slug: string, number: number) =>
    ask(`POST ${T}/proposals/:number/withdraw`, { at: { slug, number } }),
  beginThread: (slug: string, number: number, about: About, words: string) =>
    ask(`POST ${T}/proposals/:number/threads`, { at: { slug, number }, body: { about, words } }),
  comment: (slug: string, number: number, thread: number, words: string) =>
    ask(`POST ${T}/proposals/:number/threads/:thread`, { at: { slug, number, thread }, body: { words } }),
  resolveThread: (slug: string, number: number, thread: number, resolved: boolean) =>
    ask(`PUT ${T}/proposals/:number/threads/:thread`, { at: { slug, number, thread }, body: { resolved } }),
  members: (slug: string) => ask(`GET ${T}/members`, { at: { slug } }),
  setRole: (slug: string, handle: string, role: Role) =>
    ask(`PUT ${T}/members/:handle`, { at: { slug, handle }, body: { role } }),
  setReads: (slug: string, handle: string, reads: Reads) =>
    ask(`PUT ${T}/members/:handle`, { at: { slug, handle }, body: { reads } }),
  endMembership: (slug: string, handle: string) =>
    ask(`DELETE ${T}/members/:handle`, { at: { slug, handle } }),
  invitations: (slug: string) => ask(`GET ${T}/invitations`, { at: { slug } }),
  invite: (slug: string, body: BodyOf<'POST /topologies/:slug/invitations'>) =>
    ask(`POST ${T}/invitations`, { at: { slug }, body }),
  takeBack: (slug: string, id: number) => ask(`DELETE ${T}/invitations/:id`, { at: { slug, id } }),
  audit: (slug: string, asked: AuditAsked) => ask(`GET ${T}/audit`, { at: { slug }, query: { ...asked } }),
  /** Where the trail is had as NDJSON. */
  auditFile: (slug: string, asked: AuditAsked) =>
    `/api${whereIs(`GET ${T}/audit.ndjson`, { slug }, { ...asked })}`,
  webhooks: (slug: string) => ask(`GET ${T}/webhooks`, { at: { slug } }),
  addWebhook: (slug: string, body: BodyOf<'POST /topologies/:slug/webhooks'>) =>
    ask(`POST ${T}/webhooks`, { at: { slug }, body }),
  removeWebhook: (slug: string, id: number) => ask(`DELETE ${T}/webhooks/:id`, { at: { slug, id } }),
  tryWebhook: (slug: string, id: number) => ask(`POST ${T}/webhooks/:id/try`, { at: { slug, id } }),
  topologies: () => ask('GET /topologies', NONE),
  createTopology: (name: string) => ask('POST /topologies', { body: { name } }),
  /** Begins a topology with documents. */
  takenIn: (slug: string, id: number, body: BodyOf<'POST /topologies/:slug/targets/:id/taken-in'>) =>
    ask(`POST ${T}/targets/:id/taken-in`, { at: { slug, id }, body }),
  takeIn: (name: string, documents: readonly TextDocument[]) =>
    ask('POST /topologies/taken-in', { query: { name }, body: { version: 0, documents: [...documents] } }),
  glance: (slug: string) => ask(`GET ${T}/glance`, { at: { slug } }),
  /** @param draft which draft of it; the main one where none is said */
  topology: (slug: string, draft?: number) => ask(`GET ${T}`, { at: { slug }, query: { draft } }),
  drafts: (slug: string) => ask(`GET ${T}/drafts`, { at: { slug } }),
  /** Begins a draft with what a revision, or another draft, has. */
  beginDraft: (slug: string, name: string, from: { revision: number } | { draft: number }) =>
    ask(`POST ${T}/drafts`, { at: { slug }, body: { name, ...from } }),
  renameDraft: (slug: string, draft: number, name: string) =>
    ask(`PATCH ${T}/drafts/:draft`, { at: { slug, draft }, body: { name } }),
  removeDraft: (slug: string, draft: number) => ask(`DELETE ${T}/drafts/:draft`, { at: { slug, draft } }),
  saveDraft: (slug: string, { draft, version, base }: DraftWrite, documents: readonly TextDocument[]) =>
    ask(`PUT ${T}/draft`, {
      at: { slug },
      query: { draft },
      body: { version, base, documents: [...documents] },
    }),
  /** Writes only what changed: all names, and the documents that are not as the server has them. */
  changeDraft: (
    slug: string,
    { draft, version, base }: DraftWrite,
    names: string[],
    changed: readonly TextDocument[],
  ) =>
    ask(`PATCH ${T}/draft`, {
      at: { slug },
      query: { draft },
      body: { version, base, names, changed: [...changed] },
    }),
  /** Where what goes on in a topology can be listened to, as server-sent events. */
  live: (slug: string, draft: number | undefined, tab: string) =>
    `/api${whereIs(`GET ${T}/live`, { slug }, { tab, draft })}`,
  revisionGlance: (slug: string, number: number) =>
    ask(`GET ${T}/revisions/:number/glance`, { at: { slug, number } }),
  /** With which revision each line of a draft's document came; 0 for what the draft changed. */
  blame: (slug: string, draft: number | undefined, doc: string) =>
    ask(`GET ${T}/blame`, { at: { slug }, query: { doc, draft } }),
  revisions: (slug: string) => ask(`GET ${T}/revisions`, { at: { slug } }),
  revision: (slug: string, number: number) => ask(`GET ${T}/revisions/:number`, { at: { slug, number } }),
  saveRevision: (slug: string, draft: number | undefined, version: number, words: string) =>
    ask(`POST ${T}/revisions`, { at: { slug }, query: { draft }, body: { version, words } }),
  look: (slug: string, environment: string) =>
    ask(`GET ${T}/watch/:environment`, { at: { slug, environment } }),
  messages: (slug: string, environment: string, broker: string, store: string, most: number) =>
    ask(`GET ${T}/messages/:environment`, { at: { slug, environment }, query: { broker, store, most } }),
  takeMessage: (slug: string, environment: string, broker: string, store: string) =>
    ask(`POST ${T}/messages/:environment/take`, { at: { slug, environment }, body: { broker, store } }),
  sendMessage: (
    slug: string,
    environment: string,
    body: BodyOf<'POST /topologies/:slug/messages/:environment/send'>,
  ) => ask(`POST ${T}/messages/:environment/send`, { at: { slug, environment }, body }),
  operations: (slug: string, environment: string) =>
    ask(`GET ${T}/messages/:environment/operations`, { at: { slug, environment } }),
  operate: (
    slug: string,
    environment: string,
    body: BodyOf<'POST /topologies/:slug/messages/:environment/operations'>,
  ) => ask(`POST ${T}/messages/:environment/operations`, { at: { slug, environment }, body }),
  stopOperation: (slug: string, environment: string, id: number) =>
    ask(`POST ${T}/messages/:environment/operations/:id/stop`, { at: { slug, environment, id } }),
  taps: (slug: string, environment: string) =>
    ask(`GET ${T}/taps/:environment`, { at: { slug, environment } }),
  passed: (slug: string, environment: string, query: AskedPassed) =>
    ask(`GET ${T}/passed/:environment`, { at: { slug, environment }, query }),
  madeUp: (slug: string, environment: string) =>
    ask(`GET ${T}/watch/:environment/apps`, { at: { slug, environment } }),
  runMadeUp: (slug: string, environment: string, run: boolean) =>
    ask(`PUT ${T}/watch/:environment/apps`, { at: { slug, environment }, body: { run } }),
  alerts: (slug: string, environment: string) =>
    ask(`GET ${T}/watch/:environment/alerts`, { at: { slug, environment } }),
  drift: (slug: string, environment: string) =>
    ask(`POST ${T}/watch/:environment/drift`, { at: { slug, environment } }),
  course: (slug: string, environment: string, broker: string, store: string, minutes: number) =>
    ask(`GET ${T}/watch/:environment/course`, {
      at: { slug, environment },
      query: { broker, store, minutes },
    }),
  links: (slug: string) => ask(`GET ${T}/links`, { at: { slug } }),
  credentials: (slug: string) => ask(`GET ${T}/credentials`, { at: { slug } }),
  handOut: (slug: string, id: number) => ask(`POST ${T}/credentials/:id/hand-out`, { at: { slug, id } }),
  renewPassword: (slug: string, id: number) => ask(`POST ${T}/credentials/:id/renew`, { at: { slug, id } }),
  places: (slug: string) => ask(`GET ${T}/targets/places`, { at: { slug } }),
  setTarget: (slug: string, body: BodyOf<'PUT /topologies/:slug/targets'>) =>
    ask(`PUT ${T}/targets`, { at: { slug }, body }),
  tryTarget: (slug: string, body: BodyOf<'POST /topologies/:slug/targets/try'>) =>
    ask(`POST ${T}/targets/try`, { at: { slug }, body }),
  targets: (slug: string) => ask(`GET ${T}/targets`, { at: { slug } }),
  rollouts: (slug: string) => ask(`GET ${T}/rollouts`, { at: { slug } }),
  rollout: (slug: string, id: number) => ask(`GET ${T}/rollouts/:id`, { at: { slug, id } }),
  /** @param on a target, or an environment with all its targets */
  planRollout: (
    slug: string,
    on: { target: number } | { environment: string },
    wanted: { revision: number } | { tearDown: true },
  ) => ask(`POST ${T}/rollouts`, { at: { slug }, body: { ...on, ...wanted } }),
  /** @param agreed how many messages may be destroyed, and how many takers cut off */
  applyRollout: (slug: string, id: number, agreed: { destroys: number; cutsOff: number } | undefined) =>
    ask(`POST ${T}/rollouts/:id/apply`, { at: { slug, id }, body: agreed ?? {} }),
  consent: (slug: string, id: number, words: string) =>
    ask(`POST ${T}/rollouts/:id/consent`, { at: { slug, id }, body: words ? { words } : {} }),
  steps: (slug: string, id: number, from: number) =>
    ask(`GET ${T}/rollouts/:id/steps`, { at: { slug, id }, query: { from } }),
  /** Where a rollout's changes after one can be listened to, as server-sent events. */
  liveRollout: (slug: string, id: number, after: number) =>
    `/api${whereIs(`GET ${T}/rollouts/:id/live`, { slug, id }, { after })}`,
  protections: (slug: string) => ask(`GET ${T}/protections`, { at: { slug } }),
  protect: (slug: string, environment: string, wanted: boolean) =>
    ask(`PUT ${T}/protections/:environment`, { at: { slug, environment }, body: { protected: wanted } }),
  removeTarget: (slug: string, id: number) => ask(`DELETE ${T}/targets/:id`, { at: { slug, id } }),
  stopRollout: (slug: string, id: number) => ask(`POST ${T}/rollouts/:id/stop`, { at: { slug, id } }),
  probeSet: (slug: string, id: number, of: 'samples' | 'classes') =>
    ask(`GET ${T}/rollouts/:id/probe-set`, { at: { slug, id }, query: { of } }),
  probe: (slug: string, id: number, body: BodyOf<'POST /topologies/:slug/rollouts/:id/probes'>) =>
    ask(`POST ${T}/rollouts/:id/probes`, { at: { slug, id }, body }),
};
