/** The server's API. Errors are problem details (RFC 9457) and come as `ApiProblem`. */
import type { Step, TopologyDocument } from '@vondle/core';

export class ApiProblem extends Error {
  constructor(
    readonly status: number,
    readonly title: string,
    readonly detail: string,
    readonly more: Record<string, unknown>,
  ) {
    super(detail);
  }
}

/** The network itself failed: the server was not reached. */
export class Unreachable extends Error {}

async function ask<T>(method: string, path: string, data?: unknown, init: RequestInit = {}): Promise<T> {
  let response: Response;
  try {
    response = await fetch(`/api${path}`, {
      method,
      ...(data === undefined
        ? {}
        : { body: JSON.stringify(data), headers: { 'content-type': 'application/json' } }),
      ...init,
    });
  } catch {
    throw new Unreachable('The server cannot be reached.');
  }
  if (!response.ok) {
    const problem = (await response.json().catch(() => ({}))) as Record<string, unknown>;
    const { title = 'Failed', detail = `The server answered ${response.status}.`, ...more } = problem;
    throw new ApiProblem(response.status, String(title), String(detail), more);
  }
  return (response.status === 204 || response.status === 202 ? undefined : await response.json()) as T;
}

export interface Person {
  handle: string;
  name: string;
}
export interface TopologyEntry {
  slug: string;
  name: string;
  role: 'reader' | 'architect' | 'approver';
}
export interface DraftData {
  base: number;
  version: number;
  documents: TopologyDocument[];
  updatedAt: string;
  updatedBy: string | null;
}
export interface RevisionEntry {
  number: number;
  words: string;
  author: string;
  createdAt: string;
}
export interface Target {
  id: number;
  environment: string;
  broker: string;
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
  sent: { type?: string; key: string; headers: Record<string, unknown>; to: string };
  predicted: Landing;
  observed: Landing & { unseen: string[] };
  agrees: boolean;
  createdAt: string;
}
export interface Rollout extends RolloutEntry {
  kept: string[];
  leftToOthers: { of: string; why: string }[];
  inPlace: number;
  /** What keeps it from a protected environment. */
  obstacles: string[];
  override: string | null;
  steps: {
    position: number;
    step: Step;
    state: 'pending' | 'running' | 'done' | 'failed';
    error: string | null;
  }[];
  probes: Probe[];
}

const at = (slug: string) => `/topologies/${encodeURIComponent(slug)}`;

export const api = {
  me: () => ask<Person>('GET', '/session'),
  signIn: (handle: string, password: string) => ask<Person>('POST', '/session', { handle, password }),
  signOut: () => ask<void>('DELETE', '/session'),
  topologies: () => ask<TopologyEntry[]>('GET', '/topologies'),
  createTopology: (name: string) => ask<{ slug: string }>('POST', '/topologies', { name }),
  topology: (slug: string) => ask<TopologyEntry & { draft: DraftData }>('GET', at(slug)),
  saveDraft: (slug: string, version: number, documents: readonly TopologyDocument[]) =>
    ask<{ version: number }>('PUT', `${at(slug)}/draft`, { version, documents }),
  /** Writes only what changed: all names, and the documents that are not as the server has them. */
  changeDraft: (slug: string, version: number, names: string[], changed: readonly TopologyDocument[]) =>
    ask<{ version: number }>('PATCH', `${at(slug)}/draft`, { version, names, changed }),
  revisions: (slug: string) => ask<RevisionEntry[]>('GET', `${at(slug)}/revisions`),
  revision: (slug: string, number: number) =>
    ask<{ documents: TopologyDocument[] }>('GET', `${at(slug)}/revisions/${number}`),
  saveRevision: (slug: string, version: number, words: string) =>
    ask<{ number: number; version: number }>('POST', `${at(slug)}/revisions`, { version, words }),
  targets: (slug: string) => ask<Target[]>('GET', `${at(slug)}/targets`),
  rollouts: (slug: string) => ask<RolloutEntry[]>('GET', `${at(slug)}/rollouts`),
  rollout: (slug: string, id: number) => ask<Rollout>('GET', `${at(slug)}/rollouts/${id}`),
  planRollout: (slug: string, target: number, revision: number) =>
    ask<{ id: number }>('POST', `${at(slug)}/rollouts`, { target, revision }),
  applyRollout: (slug: string, id: number, override?: string) =>
    ask<void>('POST', `${at(slug)}/rollouts/${id}/apply`, override ? { override } : {}),
  stopRollout: (slug: string, id: number) => ask<void>('POST', `${at(slug)}/rollouts/${id}/stop`),
  probe: (slug: string, id: number, probe: { app: string; message: string; to: string; sample: object }) =>
    ask<Probe[]>('POST', `${at(slug)}/rollouts/${id}/probes`, probe),
};
