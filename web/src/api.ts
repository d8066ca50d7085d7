/** The server's API. Errors are problem details (RFC 9457) and come as `ApiProblem`. */
import type { Step } from '@vondle/core/analysis';
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

/** Asks the server; where it has no room for a moment, a read is asked again after the time it says. */
async function ask<T>(method: string, path: string, data?: unknown, init: RequestInit = {}): Promise<T> {
  for (let tried = 0; ; tried++) {
    try {
      return await askOnce<T>(method, path, data, init);
    } catch (error) {
      const again = error instanceof ApiProblem && error.retryAfter !== undefined && error.retryAfter <= 5;
      const harmless =
        method === 'GET' || (error instanceof ApiProblem && error.title === 'Too much at once');
      if (!again || !harmless || tried >= MOST_RETRIES) throw error;
      await new Promise((done) => setTimeout(done, 1000 * error.retryAfter! * (0.5 + Math.random())));
    }
  }
}

async function askOnce<T>(method: string, path: string, data: unknown, init: RequestInit): Promise<T> {
  const response = await answered(path, {
    method,
    ...(data === undefined
      ? {}
      : { body: JSON.stringify(data), headers: { 'content-type': 'application/json' } }),
    ...init,
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

export interface Person {
  handle: string;
  name: string;
}
export type Role = 'reader' | 'author' | 'approver' | 'operator' | 'owner';
export interface TopologyRow {
  slug: string;
  name: string;
  role: Role;
  /** The folder whose files are edited, where it is no topology of a server's. */
  local?: string;
}
/** A topology as it stands in a list. */
export interface TopologyEntry extends TopologyRow {
  version: number;
  updatedAt: string;
  updatedBy: string | null;
  revision: { number: number; words: string; author: string; createdAt: string } | null;
  people: string[];
  environments: { environment: string; revisions: number[]; whole: boolean }[];
}
/** What its draft holds, and how that stands. */
export interface Glance {
  version: number;
  documents: number;
  large: boolean;
  findings: { error: number; warning: number; advice: number };
  expectations: { kept: number; broken: number };
  counts: { brokers: number; queues: number; messages: number; apps: number };
  environments: string[];
  shape: { nodes: [lane: number, band: number][]; ways: [from: number, to: number][] };
}
/** A draft without its documents. */
export interface DraftHead {
  id: number;
  name: string;
  /** The one that every topology has, and nobody owns. */
  main: boolean;
  /** Whose it is, by handle. */
  owner: string | null;
  /** The revision it goes on from; 0 for none. */
  base: number;
  version: number;
  updatedAt: string;
  updatedBy: string | null;
}
export interface DraftData extends DraftHead {
  documents: TextDocument[];
}
/** How all of a topology stands, told whenever something of it changes. */
export interface LiveState {
  role: Role;
  drafts: DraftHead[];
  /** The newest revision; 0 for none. */
  revision: number;
  /** Goes up when a rollout is carried out. */
  applied: number;
  /** Who has which draft open. */
  people: { draft: number; handle: string; name: string }[];
  /** Another text whenever something was said to a proposal. */
  proposals: string;
}
/** What a thread of comments is about. */
export type About =
  | { kind: 'all' }
  | { kind: 'thing'; id: string }
  | { kind: 'line'; doc: string; line: number; text: string }
  | { kind: 'route' | 'finding'; text: string };
export interface ProposalEntry {
  number: number;
  /** The draft it is of; null once that is removed. */
  draft: number | null;
  title: string;
  words: string;
  author: string;
  authorName: string;
  state: 'open' | 'kept' | 'withdrawn';
  revision: number | null;
  createdAt: string;
}
export interface VerdictEntry {
  handle: string;
  name: string;
  verdict: 'approve' | 'changes';
  words: string;
  at: string;
  /** Whether the proposal still is what it was said of. */
  holds: boolean;
}
export interface Thread {
  id: number;
  about: About;
  /** Who resolved it. */
  resolved: string | null;
  comments: { name: string; words: string; at: string }[];
}
export interface Proposal extends ProposalEntry {
  verdicts: VerdictEntry[];
  threads: Thread[];
}
/** What a proposal lacks, by the rules of the revision it goes on from. */
export interface Agreement {
  ruled: boolean;
  lacking: string[];
  asked: string[];
}
/** Something that waits for whoever asks. */
export interface Waiting {
  slug: string;
  topology: string;
  number: number;
  title: string;
  what: 'review' | 'changes';
  by: string;
}
export type Scope = 'read' | 'write' | 'operate';
export interface SessionEntry {
  openedAt: string;
  expiresAt: string;
  /** Whether it is the one that asks. */
  own: boolean;
}
export interface TokenEntry {
  id: number;
  name: string;
  slug: string;
  topology: string;
  scope: Scope;
  expiresAt: string;
  usedAt: string | null;
}
export interface Member {
  handle: string;
  name: string;
  role: Role;
}
export interface Invitation {
  id: number;
  role: Role;
  words: string;
  by: string;
  expiresAt: string;
}
/** What an invitation is to. */
export interface InvitedTo {
  topology: string;
  role: Role;
  words: string;
  by: string;
  expiresAt: string;
}
export interface AuditAsked {
  who?: string | undefined;
  action?: string | undefined;
  before?: number | undefined;
}
export interface AuditLine {
  id: number;
  at: string;
  who: string | null;
  action: string;
  details: Record<string, unknown>;
}
export interface RevisionEntry {
  number: number;
  /** The revision that the draft it was made of began from; null for none. */
  parent: number | null;
  words: string;
  author: string;
  createdAt: string;
}
export interface Target {
  id: number;
  environment: string;
  broker: string;
}
/** What may be connected: the environments and brokers that are declared. */
export interface Places {
  environments: string[];
  brokers: string[];
  /** Whether there is a broker that came with the installation. */
  builtIn: boolean;
}
export type RolloutState = 'planned' | 'applying' | 'applied' | 'failed' | 'stopped' | 'interrupted';
export interface RolloutEntry {
  id: number;
  environment: string;
  broker: string;
  revision: number;
  state: RolloutState;
  verified: boolean | null;
  error: string | null;
  by: string;
  createdAt: string;
}
export interface Landing {
  queues: Record<string, number>;
  returned: boolean;
}
export interface Probe {
  id: number;
  sent: {
    type?: string;
    key: string;
    headers: Record<string, unknown>;
    to: string;
    /** What in it is not as its type says; none where it was sent before that was told. */
    remarks?: string[];
  };
  predicted: Landing;
  observed: Landing & {
    refused: boolean;
    /** Queues that could not be looked beside, and why. */
    unseen: { queue: string; why: string }[];
    /** Queues its copies stay in until somebody takes them. */
    stays: string[];
  };
  /** Null where nothing differs but not all could be seen. */
  agrees: boolean | null;
  createdAt: string;
}
export interface StepLine {
  position: number;
  title: string;
  risk: Step['risk'];
  state: 'pending' | 'running' | 'done' | 'failed' | 'unknown';
  error: string | null;
  /** What there is to know of how it went. */
  said: string | null;
}
/** What is told of a rollout that is watched; of the steps, those that changed. */
export interface RolloutHead extends RolloutEntry {
  change: number;
  kept: string[];
  leftToOthers: { of: string; why: string }[];
  inPlace: number;
  /** Queues that are replaced, with what waits in them and who takes from them. */
  destroys: { queue: string; messages: number; takers: number }[];
  /** What it is waiting for. */
  note: string | null;
  /** Whether its environment is protected, so that an approver has to consent. */
  needsConsent: boolean;
  /** What stands against it there. */
  obstacles: string[];
  consentBy: string | null;
  consentWords: string | null;
  startedBy: string | null;
  stopAsked: boolean;
}
export interface RolloutNews {
  rollout: RolloutHead;
  count: { all: number; done: number };
  steps: StepLine[];
}
export interface Rollout extends RolloutHead {
  count: { all: number; done: number };
  /** The first of them; the others are asked for. */
  steps: StepLine[];
  probes: Probe[];
}

const at = (slug: string) => `/topologies/${encodeURIComponent(slug)}`;
const of = (draft: number | undefined) => (draft === undefined ? '' : `?draft=${draft}`);

const queryOf = (asked: AuditAsked) => {
  const given = Object.entries(asked).filter(([, value]) => value !== undefined && value !== '');
  const query = new URLSearchParams(given.map(([name, value]) => [name, String(value)]));
  return given.length ? `?${query}` : '';
};

/** What a write of a draft goes on from. */
export interface DraftWrite {
  /** Which draft; the main one where none is said. */
  draft: number | undefined;
  version: number;
  /** The revision the draft goes on from with it. */
  base: number;
}

export const api = {
  me: () => ask<Person>('GET', '/session'),
  signIn: (handle: string, password: string) => ask<Person>('POST', '/session', { handle, password }),
  signOut: () => ask<void>('DELETE', '/session'),
  changePassword: (old: string, password: string) => ask<void>('PUT', '/session/password', { old, password }),
  sessions: () => ask<SessionEntry[]>('GET', '/session/all'),
  endOtherSessions: () => ask<{ ended: number }>('DELETE', '/session/others'),
  tokens: () => ask<TokenEntry[]>('GET', '/tokens'),
  makeToken: (token: { slug: string; name: string; scope: Scope; days: number }) =>
    ask<{ token: string; expiresAt: string }>('POST', '/tokens', token),
  endToken: (id: number) => ask<void>('DELETE', `/tokens/${id}`),
  invitation: (key: string) => ask<InvitedTo>('GET', `/invitations/${encodeURIComponent(key)}`),
  join: (key: string) => ask<{ slug: string }>('POST', `/invitations/${encodeURIComponent(key)}/join`),
  joinAnew: (key: string, account: { handle: string; name: string; password: string }) =>
    ask<{ slug: string } & Person>('POST', `/invitations/${encodeURIComponent(key)}/account`, account),
  inbox: () => ask<Waiting[]>('GET', '/inbox'),
  proposals: (slug: string) => ask<ProposalEntry[]>('GET', `${at(slug)}/proposals`),
  proposal: (slug: string, number: number) => ask<Proposal>('GET', `${at(slug)}/proposals/${number}`),
  agreement: (slug: string, number: number) =>
    ask<Agreement>('GET', `${at(slug)}/proposals/${number}/agreement`),
  propose: (slug: string, proposal: { draft: number; title: string; words: string }) =>
    ask<{ number: number }>('POST', `${at(slug)}/proposals`, proposal),
  /** The documents that somebody's verdict is about. */
  verdictOf: (slug: string, number: number, handle: string) =>
    ask<{ documents: TextDocument[] }>(
      'GET',
      `${at(slug)}/proposals/${number}/verdicts/${encodeURIComponent(handle)}`,
    ),
  say: (
    slug: string,
    number: number,
    said: { verdict: 'approve' | 'changes'; version: number; words: string },
  ) => ask<void>('POST', `${at(slug)}/proposals/${number}/verdict`, said),
  keepProposal: (slug: string, number: number, version: number) =>
    ask<{ number: number }>('POST', `${at(slug)}/proposals/${number}/keep`, { version }),
  withdraw: (slug: string, number: number) =>
    ask<void>('POST', `${at(slug)}/proposals/${number}/withdraw`, {}),
  beginThread: (slug: string, number: number, about: About, words: string) =>
    ask<{ id: number }>('POST', `${at(slug)}/proposals/${number}/threads`, { about, words }),
  comment: (slug: string, number: number, thread: number, words: string) =>
    ask<void>('POST', `${at(slug)}/proposals/${number}/threads/${thread}`, { words }),
  resolveThread: (slug: string, number: number, thread: number, resolved: boolean) =>
    ask<void>('PUT', `${at(slug)}/proposals/${number}/threads/${thread}`, { resolved }),
  members: (slug: string) => ask<Member[]>('GET', `${at(slug)}/members`),
  setRole: (slug: string, handle: string, role: Role) =>
    ask<void>('PUT', `${at(slug)}/members/${encodeURIComponent(handle)}`, { role }),
  endMembership: (slug: string, handle: string) =>
    ask<void>('DELETE', `${at(slug)}/members/${encodeURIComponent(handle)}`),
  invitations: (slug: string) => ask<Invitation[]>('GET', `${at(slug)}/invitations`),
  invite: (slug: string, invitation: { role: Role; words: string; days: number }) =>
    ask<{ key: string; expiresAt: string }>('POST', `${at(slug)}/invitations`, invitation),
  takeBack: (slug: string, invitation: number) =>
    ask<void>('DELETE', `${at(slug)}/invitations/${invitation}`),
  audit: (slug: string, asked: AuditAsked) =>
    ask<{ lines: AuditLine[]; more: boolean; actions: string[] }>(
      'GET',
      `${at(slug)}/audit${queryOf(asked)}`,
    ),
  /** Where the trail is had as NDJSON. */
  auditFile: (slug: string, asked: AuditAsked) => `/api${at(slug)}/audit.ndjson${queryOf(asked)}`,
  topologies: () => ask<TopologyEntry[]>('GET', '/topologies'),
  createTopology: (name: string) => ask<{ slug: string }>('POST', '/topologies', { name }),
  /** Begins a topology with documents. */
  takeIn: (name: string, documents: readonly TextDocument[]) =>
    ask<{ slug: string }>('POST', `/topologies/taken-in?name=${encodeURIComponent(name)}`, {
      version: 0,
      documents,
    }),
  glance: (slug: string) => ask<Glance>('GET', `${at(slug)}/glance`),
  /** @param draft which draft of it; the main one where none is said */
  topology: (slug: string, draft?: number) =>
    ask<TopologyRow & { draft: DraftData }>('GET', at(slug) + of(draft)),
  drafts: (slug: string) => ask<DraftHead[]>('GET', `${at(slug)}/drafts`),
  /** Begins a draft with what a revision, or another draft, has. */
  beginDraft: (slug: string, name: string, from: { revision: number } | { draft: number }) =>
    ask<{ id: number }>('POST', `${at(slug)}/drafts`, { name, ...from }),
  renameDraft: (slug: string, draft: number, name: string) =>
    ask<void>('PATCH', `${at(slug)}/drafts/${draft}`, { name }),
  removeDraft: (slug: string, draft: number) => ask<void>('DELETE', `${at(slug)}/drafts/${draft}`),
  saveDraft: (slug: string, write: DraftWrite, documents: readonly TextDocument[]) =>
    ask<{ version: number }>('PUT', `${at(slug)}/draft${of(write.draft)}`, {
      version: write.version,
      base: write.base,
      documents,
    }),
  /** Writes only what changed: all names, and the documents that are not as the server has them. */
  changeDraft: (slug: string, write: DraftWrite, names: string[], changed: readonly TextDocument[]) =>
    ask<{ version: number }>('PATCH', `${at(slug)}/draft${of(write.draft)}`, {
      version: write.version,
      base: write.base,
      names,
      changed,
    }),
  /** Where what goes on in a topology can be listened to, as server-sent events. */
  live: (slug: string, draft: number | undefined, tab: string) =>
    `/api${at(slug)}/live?tab=${tab}${draft === undefined ? '' : `&draft=${draft}`}`,
  revisionGlance: (slug: string, number: number) =>
    ask<Omit<Glance, 'version'>>('GET', `${at(slug)}/revisions/${number}/glance`),
  /** With which revision each line of a draft's document came; 0 for what the draft changed. */
  blame: (slug: string, draft: number | undefined, doc: string) =>
    ask<{ version: number; lines: number[] }>(
      'GET',
      `${at(slug)}/blame?doc=${encodeURIComponent(doc)}${draft === undefined ? '' : `&draft=${draft}`}`,
    ),
  revisions: (slug: string) => ask<RevisionEntry[]>('GET', `${at(slug)}/revisions`),
  revision: (slug: string, number: number) =>
    ask<{ documents: TextDocument[] }>('GET', `${at(slug)}/revisions/${number}`),
  saveRevision: (slug: string, draft: number | undefined, version: number, words: string) =>
    ask<{ number: number; version: number }>('POST', `${at(slug)}/revisions${of(draft)}`, { version, words }),
  places: (slug: string) => ask<Places>('GET', `${at(slug)}/targets/places`),
  setTarget: (
    slug: string,
    target: { environment: string; broker: string; kind: 'amqp' } & (
      { builtIn: true } | { addresses: { amqp: string; http: string } }
    ),
  ) => ask<{ id: number }>('PUT', `${at(slug)}/targets`, target),
  targets: (slug: string) => ask<Target[]>('GET', `${at(slug)}/targets`),
  rollouts: (slug: string) => ask<RolloutEntry[]>('GET', `${at(slug)}/rollouts`),
  rollout: (slug: string, id: number) => ask<Rollout>('GET', `${at(slug)}/rollouts/${id}`),
  planRollout: (slug: string, target: number, revision: number) =>
    ask<{ id: number }>('POST', `${at(slug)}/rollouts`, { target, revision }),
  /** @param destroys how many waiting messages may be destroyed */
  applyRollout: (slug: string, id: number, destroys: number) =>
    ask<void>('POST', `${at(slug)}/rollouts/${id}/apply`, destroys ? { destroys } : {}),
  consent: (slug: string, id: number, words: string) =>
    ask<void>('POST', `${at(slug)}/rollouts/${id}/consent`, words ? { words } : {}),
  steps: (slug: string, id: number, from: number) =>
    ask<StepLine[]>('GET', `${at(slug)}/rollouts/${id}/steps?from=${from}`),
  /** Where a rollout's changes after one can be listened to, as server-sent events. */
  liveRollout: (slug: string, id: number, after: number) =>
    `/api${at(slug)}/rollouts/${id}/live?after=${after}`,
  protections: (slug: string) => ask<string[]>('GET', `${at(slug)}/protections`),
  protect: (slug: string, environment: string, wanted: boolean) =>
    ask<unknown>('PUT', `${at(slug)}/protections/${encodeURIComponent(environment)}`, { protected: wanted }),
  removeTarget: (slug: string, id: number) => ask<void>('DELETE', `${at(slug)}/targets/${id}`),
  stopRollout: (slug: string, id: number) => ask<void>('POST', `${at(slug)}/rollouts/${id}/stop`),
  probe: (slug: string, id: number, probe: { app: string; message: string; to: string; sample: object }) =>
    ask<Probe[]>('POST', `${at(slug)}/rollouts/${id}/probes`, probe),
};
