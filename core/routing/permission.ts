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
  /** The routing key of the message, for statements narrowed by `key`; left out where it is asked of any message. */
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
  /** Where no key was given: the patterns of keys for which statements decide the other way, or might. */
  readonly forKeys?: { readonly allowed: readonly string[]; readonly denied: readonly string[] };
}

interface Candidate {
  readonly statement: StatementDecl;
  readonly deny: boolean;
  readonly title: string;
}

export type Decide = (request: AccessRequest) => Decision;

const NO_BROKERS: NonNullable<Topology['declared']['brokers']> = new Map();
const DECIDE = new Question<Decide>('who may do what');
const STATEMENTS = new Question<readonly StatementDecl[]>('statements');
const TRAITS = new Question<ReadonlyMap<string, string>>('access and transit of brokers');

/** @returns the function that decides for one topology; the same one while nothing it follows from changes */
export function accessOf({ declared, memory }: Topology): Decide {
  const { access } = declared;
  const statements = memory.latest(STATEMENTS, [access], () => access?.items ?? [], sameItems);
  const brokers = memory.each(
    TRAITS,
    declared.brokers ?? NO_BROKERS,
    ({ value }) => `${value.access?.value ?? 'controlled'} ${value.transit?.value ?? 'encrypted'}`,
  );
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
    const almost: string[] = [];
    const [allowed, denied]: [string[], string[]] = [[], []];
    const forKeys = () => (allowed.length || denied.length ? { forKeys: { allowed, denied } } : {});
    for (const { statement, deny, title } of candidates(request)) {
      const unmet = unmetCondition(statement, request, encrypted);
      if (unmet === undefined) {
        const verb = deny ? 'denies' : 'allows';
        const why = `“${title}” ${verb} it`;
        return { allowed: !deny, why, place: statement.place, by: statement, ...forKeys() };
      }
      if (unmet.key !== undefined) (deny ? denied : allowed).push(unmet.key);
      if (!deny) almost.push(`“${title}” would allow it, but ${unmet.why}`);
    }
    if (access === 'open') return { allowed: true, why: `${on.broker} is open`, ...forKeys() };
    const why = `no statement lets ${callerName(who)} ${ACTION_PHRASE[action]} ${addressOf(on)}`;
    return { allowed: false, why: almost.length ? `${why} (${almost.join('; ')})` : why, ...forKeys() };
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

/** @returns whether a text is one that a pattern stands for, `*` being anything: each part as early as it can be leaves the most for the next */
export function fits(pattern: string, text: string): boolean {
  const [first = '', ...parts] = pattern.split('*');
  if (parts.length === 0) return pattern === text;
  const last = parts.pop()!;
  if (text.length < first.length + last.length || !text.startsWith(first) || !text.endsWith(last))
    return false;
  const end = text.length - last.length;
  let at = first.length;
  for (const part of parts) {
    const found = text.indexOf(part, at);
    if (found < 0 || found + part.length > end) return false;
    at = found + part.length;
  }
  return true;
}

/** @returns whether an address pattern (`*` stands for anything inside one segment) covers a thing. */
export function covers(pattern: string, on: Thing): boolean {
  const address = addressOf(on);
  if (pattern === address || pattern === on.id) return true;
  if (!pattern.includes('*')) return false;
  // an address has two segments, a broker and a name; the name may have slashes of its own
  const slash = pattern.indexOf('/');
  return [address, on.id as string].some((each) => {
    const at = each.indexOf('/');
    if (slash < 0 || at < 0) return slash < 0 && at < 0 && fits(pattern, each);
    return fits(pattern.slice(0, slash), each.slice(0, at)) && fits(pattern.slice(slash), each.slice(at));
  });
}

/** @returns why a statement's `when` does not hold, or undefined when it does; `key` where only that is not known to */
function unmetCondition(
  statement: StatementDecl,
  request: AccessRequest,
  encrypted: boolean,
): { readonly why: string; readonly key?: string } | undefined {
  const { when, unread } = statement;
  if (unread?.includes('when') || when?.unread) return { why: 'what narrows it could not be read' };
  if (!when) return undefined;
  if (when.tenant && when.tenant.value !== request.who.tenant)
    return { why: `only for tenant ${when.tenant.value}, not ${request.who.tenant ?? 'nobody’s'}` };
  if (when.source && !(request.source && covers(when.source.value, request.source)))
    return { why: `only for messages from ${when.source.value}` };
  if (when.encrypted && when.encrypted.value !== encrypted)
    return { why: `only over ${when.encrypted.value ? 'an encrypted' : 'a plain'} connection` };
  if (!when.key) return undefined;
  const { value } = when.key;
  const why = `only for keys that match \`${value}\``;
  if (request.key === undefined) return { why, key: value };
  return wordsMatch(wordsOf(value), wordsOf(request.key)) ? undefined : { why };
}
