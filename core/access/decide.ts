/**
 * Who may do what to what. Deny wins; on a controlled broker what no statement allows is refused.
 * Statements are found once for each caller, action and thing; only their `when` is asked again
 * for each message.
 */
import type { Action, StatementDecl } from '../language/language.ts';
import type { Topology } from '../language/read.ts';
import { addressOf, type Thing } from '../model/address.ts';
import type { Place } from '../model/place.ts';
import { wordsMatch, wordsOf } from '../predicate/words.ts';

/** Somebody who moves a message: an app, a topic handing to a queue, a link. */
export interface Caller {
  readonly thing: Thing;
  readonly tenant: string | undefined;
}

export interface AccessRequest {
  readonly who: Caller;
  readonly action: Action;
  readonly on: Thing;
  /** The routing key of the message, for statements narrowed by `key`. */
  readonly key?: string;
  /** Where the message comes from, for statements narrowed by `source`. */
  readonly source?: Thing;
}

export interface Decision {
  readonly allowed: boolean;
  /** A plain sentence saying what decided. */
  readonly why: string;
  /** The statement that decided, where one did. */
  readonly place?: Place;
}

interface Candidate {
  readonly statement: StatementDecl;
  readonly deny: boolean;
  readonly title: string;
}

export type Decide = (request: AccessRequest) => Decision;

/** @returns the function that decides for one topology; pure, with a cache of its own. */
export function accessOf(topology: Topology): Decide {
  const statements = topology.declared.access?.items ?? [];
  const cache = new Map<string, readonly Candidate[]>();

  const candidates = ({ who, action, on }: AccessRequest): readonly Candidate[] => {
    const id = `${who.thing.id} ${action} ${on.id}`;
    const known = cache.get(id);
    if (known) return known;
    const found: Candidate[] = [];
    statements.forEach((statement, index) => {
      const deny = speaksOf(statement.deny, action);
      if (!deny && !speaksOf(statement.allow, action)) return;
      if (!statement.who?.items.some((name) => names(name.value, who))) return;
      if (!statement.on?.items.some((pattern) => covers(pattern.value, on))) return;
      found.push({ statement, deny, title: statement.name?.value ?? `statement ${index + 1}` });
    });
    found.sort((a, b) => Number(b.deny) - Number(a.deny));
    cache.set(id, found);
    return found;
  };

  return (request) => {
    const { who, action, on } = request;
    const broker = topology.declared.brokers?.get(on.broker)?.value;
    let almost: string | undefined;
    for (const { statement, deny, title } of candidates(request)) {
      const unmet = unmetCondition(statement, request, broker?.transit?.value !== 'plain');
      if (unmet === undefined) {
        const verb = deny ? 'denies' : 'allows';
        return { allowed: !deny, why: `“${title}” ${verb} it`, place: statement.place };
      }
      if (!deny) almost ??= `“${title}” would allow it, but ${unmet}`;
    }
    if (broker?.access?.value === 'open') return { allowed: true, why: `${on.broker} is open` };
    const why = `no statement lets ${callerName(who)} ${ACTION_PHRASE[action]} ${addressOf(on)}`;
    return { allowed: false, why: almost ? `${why} (${almost})` : why };
  };
}

/** How an action reads before the address it is done to. */
const ACTION_PHRASE: Record<Action, string> = {
  publish: 'publish into',
  consume: 'consume from',
  browse: 'browse',
  declare: 'declare',
  bind: 'bind',
  subscribe: 'subscribe to',
};

/** @returns a caller as statements write it: `app:x`, `topic:broker/x`, `link:x`. */
export function callerName({ thing }: Caller): string {
  return thing.id;
}

function speaksOf(actions: StatementDecl['allow'], action: Action): boolean {
  return actions?.items.some((each) => each.value === action) ?? false;
}

function names(who: string, caller: Caller): boolean {
  if (who === 'any' || who === caller.thing.id) return true;
  if (who.startsWith('tenant:')) return who.slice('tenant:'.length) === caller.tenant;
  return who.startsWith('broker:') && who.slice('broker:'.length) === caller.thing.broker;
}

const patterns = new Map<string, RegExp>();

/** @returns whether an address pattern (`*` stands for anything inside one segment) covers a thing. */
export function covers(pattern: string, on: Thing): boolean {
  const address = addressOf(on);
  if (pattern === address || pattern === on.id) return true;
  if (!pattern.includes('*')) return false;
  let compiled = patterns.get(pattern);
  if (!compiled) {
    const source = pattern
      .split('*')
      .map((part) => part.replace(/[.*+?^${}()|[\]\\]/g, '\\$&'))
      .join('[^/]*');
    compiled = new RegExp(`^${source}$`, 'su');
    if (patterns.size > 10_000) patterns.clear();
    patterns.set(pattern, compiled);
  }
  return compiled.test(address) || compiled.test(on.id);
}

/** @returns why a statement's `when` does not hold, or undefined when it does. */
function unmetCondition(
  statement: StatementDecl,
  request: AccessRequest,
  encrypted: boolean,
): string | undefined {
  const { when } = statement;
  if (!when) return undefined;
  if (when.tenant && when.tenant.value !== request.who.tenant) {
    return `only for tenant ${when.tenant.value}, not ${request.who.tenant ?? 'nobody’s'}`;
  }
  if (when.source && !(request.source && covers(when.source.value, request.source))) {
    return `only for messages from ${when.source.value}`;
  }
  if (when.encrypted && when.encrypted.value !== encrypted) {
    return `only over ${when.encrypted.value ? 'an encrypted' : 'a plain'} connection`;
  }
  if (when.key && !(request.key !== undefined && wordsMatch(wordsOf(when.key.value), wordsOf(request.key)))) {
    return `only for keys that match \`${when.key.value}\``;
  }
  return undefined;
}
