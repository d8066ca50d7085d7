/** The steps of a rollout and its windows, as the command line promises them. */
import type { Ordered } from '../analysis/rollout/order.ts';
import type { Operation } from '../analysis/rollout/state.ts';
import type { Risk } from '../analysis/rollout/risk.ts';
import type { Window } from '../analysis/rollout/windows.ts';
import { bindingText } from '../analysis/rollout/wire.ts';
import { counted } from '../base/phrase.ts';

/** One operation, with the words for it. */
export type StepData = Operation & {
  readonly title: string;
  readonly risk: Risk;
  readonly destroys?: string;
  readonly inverse?: string;
  /** The operations of one replacement have one. */
  readonly group?: string;
};

export interface WindowData {
  /** The first and the last state in which it is so: the broker after so many operations. */
  readonly from: number;
  readonly until: number;
  readonly kind: Window['kind'];
  readonly message: string;
  /** `broker/name`, by its name on the wire. */
  readonly store: string;
  /** One of the messages, as `vondle trace` reads it. */
  readonly witness: Readonly<Record<string, unknown>>;
  /** What would close it, in words. */
  readonly close: string;
}

export interface StepsData {
  readonly steps: readonly StepData[];
  readonly windows: readonly WindowData[];
  /** Messages of which nothing could be told, and why; that not all states could be looked at. */
  readonly unproved: readonly string[];
}

function titleOf(operation: Operation): string {
  if (operation.do === 'bind') return `bind ${bindingText(operation.binding)}`;
  if (operation.do === 'unbind') return `remove the binding ${bindingText(operation.binding)}`;
  if ('queue' in operation) return `${operation.do} ${operation.queue.name}`;
  if ('exchange' in operation)
    return operation.do === 'declare exchange'
      ? `declare ${operation.exchange.type} exchange ${operation.exchange.name}`
      : `delete exchange ${operation.exchange.name}`;
  return '';
}

/** @returns the single operations of a rollout in their order, and its windows, as JSON has them */
export function stepsData(ordered: Ordered, broker: string): StepsData {
  const steps = ordered.units.flatMap(({ step, operations }) => {
    const { title, risk, destroys, inverse } = step;
    const more = { ...(destroys ? { destroys } : {}), ...(inverse ? { inverse } : {}) };
    if (step.do !== 'replace queue' && step.do !== 'replace exchange')
      return operations.map((each) => ({ ...each, title, risk, ...more }));
    return operations.map((each, i): StepData => ({
      ...each,
      title: titleOf(each),
      risk: i === 0 ? risk : 'none',
      ...(i === 0 ? more : {}),
      group: title.split(':')[0]!,
    }));
  });
  const unproved = [
    ...[...ordered.untold].map(
      ([{ type, to }, why]) => `${type.id} to ${to}: its messages are too many to tell apart: ${why}`,
    ),
    ...ordered.windows.flatMap(({ unless, traffic, from, until }) =>
      unless === undefined
        ? []
        : [`${traffic.type.id} to ${traffic.to}, ${statesText(from, until)}: ${unless}`],
    ),
    ...(ordered.complete ? [] : ['There are too many states on the way to look at each of them.']),
  ];
  return { steps, windows: ordered.windows.filter((each) => each.unless === undefined).map(data), unproved };

  function data(window: Window): WindowData {
    const { from, until, kind, traffic, queue, witness } = window;
    const { key, headers, properties } = witness;
    const { type, to, via, from: app } = traffic;
    return {
      from,
      until,
      kind,
      message: type.id,
      store: `${broker}/${queue}`,
      witness: {
        type: type.id,
        from: app,
        to,
        ...(via ? { via, topic: key.replaceAll('.', '/') } : { key }),
        headers,
        properties,
      },
      close: closing(window, from, until + 1),
    };
  }
}

const statesText = (from: number, until: number): string =>
  from === until ? `after step ${from}` : `after step ${from} to after step ${until}`;

/**
 * @param first the step with which it begins, counted from one
 * @param last the step with which it is over
 * @returns what would close a window, in words
 */
export function closing({ kind, traffic, queue }: Window, first: number, last: number): string {
  const when =
    first === last ? `while step ${first} is taken` : `from before step ${first} until step ${last} is done`;
  const pause = `let nobody send ${traffic.type.id} to ${traffic.to} ${when}`;
  return kind === 'missing' && traffic.entry.kind === 'exchange'
    ? `${pause}; or have another queue bound to ${traffic.entry.name} keep them meanwhile, and move them to ${queue} after`
    : pause;
}

/** @returns the same for people */
export function stepsText({ steps, windows, unproved }: StepsData): string {
  const lines: string[] = [];
  let group: string | undefined;
  for (const [i, { title, risk, destroys, group: own }] of steps.entries()) {
    if (own !== undefined && own !== group) lines.push(`     ${own}, in these steps together:`);
    group = own;
    lines.push(
      `${String(i + 1).padStart(4)} ${own === undefined ? '' : '  '}${title}${risk === 'none' ? '' : ` (${risk})`}`,
    );
    if (destroys) lines.push(`       ${destroys}`);
  }
  if (steps.length === 0) lines.push('Nothing is to be done.');
  for (const { from, until, kind, message, store, witness, close } of windows)
    lines.push(
      '',
      `${statesText(from, until)}: ${message} ${kind === 'missing' ? 'does not come to' : 'comes to'} ${store}${kind === 'missing' ? ', as it does before and after' : ', as it does neither before nor after'}`,
      `       for example ${JSON.stringify(witness)}`,
      `       to close it: ${close}`,
    );
  if (unproved.length) lines.push('', 'Not told:', ...unproved.map((each) => `  ${each}`));
  lines.push(
    '',
    `${counted(steps.length, 'step')}, ${windows.length ? counted(windows.length, 'window') : 'no window'}`,
  );
  return `${lines.join('\n')}\n`;
}
