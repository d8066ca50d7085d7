/** What users of an AMQP 0-9-1 broker may do, as statements of access. */
import type { Ids } from './names.ts';
import { appFor } from './names.ts';

/** A user's rights in a virtual host, as the broker keeps them: patterns of names. */
export interface UserRights {
  readonly user: string;
  readonly configure: string;
  readonly write: string;
  readonly read: string;
}

/** So many names stand in one statement; more are said by a pattern, which is wider. */
const MOST_NAMED = 200;
/** A pattern that is longer is left unread. */
const LONGEST = 500;
/** What must be writable for whoever publishes to queues by their names. */
const UNNAMED = 'amq.default';

export interface Statement {
  readonly name: string;
  readonly allow: readonly string[];
  readonly who: string;
  readonly on: readonly string[];
}

/**
 * @param note told what cannot be said
 * @returns statements by which apps, called after the users, may take from the queues and publish to the exchanges that they may
 */
export function statementsOf(
  rights: readonly UserRights[],
  { broker, exchanges, queues }: { broker: string; exchanges: Ids; queues: Ids },
  note: (sentence: string) => void,
): Statement[] {
  const found: Statement[] = [];
  for (const { user, configure, write, read } of rights) {
    const app = appFor(user);
    const [reads, writes] = [patternOf(read), patternOf(write)];
    if (!reads || !writes) {
      note(`What the user ${user} may do is said by a pattern that cannot be read here; it is left out.`);
      continue;
    }
    const on = (kind: 'queue' | 'exchange', ids: Ids, may: (name: string) => boolean): string[] => {
      const all = [...ids.entries()];
      const own = all.filter(([name]) => may(name));
      // of one alone its name says more
      if (own.length > 1 && (own.length === all.length || own.length > MOST_NAMED)) {
        if (own.length < all.length)
          note(
            `The user ${user} may use ${own.length} ${kind}s, too many to name: all are allowed to it here.`,
          );
        return [`${kind}:${broker}/*`];
      }
      return own.map(([, id]) => `${kind}:${broker}/${id}`);
    };
    const takes = on('queue', queues, reads);
    const publishes = [
      ...on('exchange', exchanges, writes),
      ...(writes(UNNAMED) ? on('queue', queues, () => true) : []),
    ];
    if (takes.length) found.push({ name: `${user} takes`, allow: ['consume'], who: `app:${app}`, on: takes });
    if (publishes.length)
      found.push({ name: `${user} publishes`, allow: ['publish'], who: `app:${app}`, on: publishes });
    if (configure !== '' && configure !== '^$')
      note(
        `The user ${user} may declare things by itself (${configure.slice(0, 100)}): that is not taken in.`,
      );
  }
  return found;
}

/** A broker's pattern, which need not match a whole name; an empty one matches nothing. */
function patternOf(text: string): ((name: string) => boolean) | undefined {
  if (text === '') return () => false;
  if (text.length > LONGEST) return undefined;
  try {
    const pattern = new RegExp(text);
    return (name) => pattern.test(name);
  } catch {
    return undefined;
  }
}
