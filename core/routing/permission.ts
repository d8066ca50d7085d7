/**
 * Who may do what to what. Deny wins; on a controlled broker what no statement allows is refused.
 * Statements are found once for each caller, action and thing; only their `when` is asked again
 * for each message.
 */
import { wordsMatch, wordsOf } from '../conditions/words.ts';
import { Question, sameItems } from '../incremental/memory.ts';
import type { Action, StatementDecl } from '../language/statement.ts';
import { type Thing, addressOf } from '../language/thing.ts';
import type { Place } from '../syntax/place.ts';
import type { Topology } from '../topology/topology.ts';

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
  /** How the caller is connected, where it is not as the broker asks. */
  readonly encrypted?: boolean;
}

export interface Decision {
  readonly allowed: boolean;
  /** A plain sentence saying what decided. */
  readonly why: string;
  /** The statement that decided, where one did. */
  readonly place?: Place;
  readonly by?: StatementDecl;
}

interface Candidate {
  readonly statement: StatementDecl;
  readonly deny: boolean;
  readonly title: string;
}

export type Decide = (request: AccessRequest) => Decision;

const DECIDE = new Question<Decide>('who may do what');
const STATEMENTS = new Question<readonly StatementDecl[]>('statements');
const TRAITS = new Question<ReadonlyMap<string, string>>('access and transit of brokers');

/** @returns the function that decides for one topology; the same one while nothing it follows from changes */
export function accessOf({ declared, memory }: Topology): Decide {
  const { access } = declared;
  const statements = memory.latest(STATEMENTS, [access], () => access?.items ?? [], sameItems);
  const decls = new Map([...(declared.brokers ?? [])].map(([id, { value }]) => [id, [value]]));
  const brokers = memory.each(TRAITS, decls, (id) => {
    const { value } = declared.brokers!.get(id)!;
    return `${value.access?.value ?? 'controlled'} ${value.transit?.value ?? 'encrypted'}`;
  });
  return memory.latest(DECIDE, [statements, brokers], () => decider(statements, brokers));
}

function decider(statements: readonly StatementDecl[], brokers: ReadonlyMap<string, string>): Decide {
  const { exact, wide } = byAddress(statements);
  const cache = new Map<string, readonly Candidate[]>();

  const candidates = ({ who, action, on }: AccessRequest): readonly Candidate[] => {
    if (statements.length === 0) return NO_CANDIDATES;
    const id = `${who.thing.id} ${who.tenant} ${action} ${on.id}`;
    const remembered = cache.get(id);
    if (remembered) return remembered;
    const found: Candidate[] = [];
    const about = new Set([...(exact.get(addressOf(on)) ?? []), ...(exact.get(on.id) ?? []), ...wide]);
    for (const index of [...about].sort((a, b) => a - b)) {
      const statement = statements[index]!;
      const deny = speaksOf(statement.deny, action);
      if (!deny && !speaksOf(statement.allow, action)) continue;
      if (!statement.who?.items.some((name) => names(name.value, who))) continue;
      if (!statement.on?.items.some((pattern) => covers(pattern.value, on))) continue;
      found.push({ statement, deny, title: titleOf(statement, index) });
    }
    found.sort((a, b) => Number(b.deny) - Number(a.deny));
    cache.set(id, found);
    return found;
  };

  return (request) => {
    const { who, action, on } = request;
    const [access, transit] = (brokers.get(on.broker) ?? 'controlled encrypted').split(' ');
    const encrypted = request.encrypted ?? transit !== 'plain';
    let almost: string | undefined;
    for (const { statement, deny, title } of candidates(request)) {
      const unmet = unmetCondition(statement, request, encrypted);
      if (unmet === undefined) {
        const verb = deny ? 'denies' : 'allows';
        return { allowed: !deny, why: `“${title}” ${verb} it`, place: statement.place, by: statement };
      }
      if (!deny) almost ??= `“${title}” would allow it, but ${unmet}`;
    }
    if (access === 'open') return { allowed: true, why: `${on.broker} is open` };
    const why = `no statement lets ${callerName(who)} ${ACTION_PHRASE[action]} ${addressOf(on)}`;
    return { allowed: false, why: almost ? `${why} (${almost})` : why };
  };
}

const NO_CANDIDATES: readonly Candidate[] = [];

/** Statements by the addresses they name; those with a `*` apart. */
function byAddress(statements: readonly StatementDecl[]) {
  const exact = new Map<string, number[]>();
  const wide: number[] = [];
  statements.forEach(({ on }, index) => {
    for (const { value } of on?.items ?? []) {
      if (value.includes('*')) wide.push(index);
      const list = exact.get(value);
      if (list) list.push(index);
      else exact.set(value, [index]);
    }
  });
  return { exact, wide };
}

/** @returns what to call a statement: its name, or where it stands among them */
export function titleOf(statement: StatementDecl, index: number): string {
  return statement.name?.value ?? `statement ${index + 1}`;
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

/** @returns whether a statement's `who` speaks of a caller */
export function names(who: string, caller: Caller): boolean {
  if (who === 'any' || who === caller.thing.id) return true;
  if (who.startsWith('tenant:')) return who.slice('tenant:'.length) === caller.tenant;
  return who.startsWith('broker:') && who.slice('broker:'.length) === caller.thing.broker;
}

const patterns = new Map<string, RegExp>();

/** A pattern as a regular expression, `*` as what it may stand for. */
const anything = (pattern: string, star: string): string =>
  pattern
    .split('*')
    .map((part) => part.replace(/[.*+?^${}()|[\]\\]/g, '\\$&'))
    .join(star);

/** @returns whether an address pattern (`*` stands for anything inside one segment) covers a thing. */
export function covers(pattern: string, on: Thing): boolean {
  const address = addressOf(on);
  if (pattern === address || pattern === on.id) return true;
  if (!pattern.includes('*')) return false;
  let compiled = patterns.get(pattern);
  if (!compiled) {
    // an address has two segments, a broker and a name; the name may have slashes of its own
    const slash = pattern.indexOf('/');
    const [broker, name] = slash < 0 ? [pattern, ''] : [pattern.slice(0, slash), pattern.slice(slash)];
    compiled = new RegExp(`^${anything(broker, '[^/]*')}${anything(name, '.*')}$`, 'su');
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
