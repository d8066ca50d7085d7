/**
 * What follows from a message once apps have taken it: an app says by `because` which of its publishes, and of
 * what it hands on outside of brokers, follow from which message types it takes. A trace goes on through it.
 */
import { complete, samplesOf } from '../samples/samples.ts';
import { remarksOn } from '../samples/given.ts';
import { sendingOf } from '../samples/kept.ts';
import type { Message } from '../../conditions/message.ts';
import type { AppDecl } from '../../language/app.ts';
import { addressOf } from '../../language/thing.ts';
import type { RotationState } from '../../routing/choose.ts';
import type { RoutingGraph } from '../../routing/graph.ts';
import type { Sending } from '../../routing/hop.ts';
import { type Trace, trace } from '../../routing/trace.ts';
import type { Place } from '../../syntax/place.ts';
import type { MessageType } from '../../topology/messages.ts';

/** One thing an app does because of a message it took. */
export interface Consequence {
  /** The app, and the store it took the message from. */
  readonly app: string;
  readonly from: string;
  /** The type of the message it took. */
  readonly because: string;
  /** How many such messages came to rest there. */
  readonly copies: number;
  /** Where the text says that it follows. */
  readonly place: Place;
  /** Of a publish: how the next message is sent, and what becomes of it. */
  readonly sent?: { readonly message: Message; readonly sending: Sending; readonly trace: Trace };
  /** Of what is handed on outside of brokers: the app it is handed to. */
  readonly handedTo?: string;
  /** The very same was followed on the way here: apps that answer each other without end. */
  readonly round?: true;
  /** What follows from it in turn. */
  readonly then: readonly Consequence[];
}

/** So many things that follow are told of one message. */
const MOST_FOLLOWED = 300;

/**
 * @param traces what became of a message, from each place it was sent to
 * @returns what apps do because of it, each with what follows from that; what goes round is told once
 */
export function throughApps(graph: RoutingGraph, traces: readonly Trace[]): readonly Consequence[] {
  const room = { left: MOST_FOLLOWED, turns: new Map() as RotationState };
  return traces.flatMap((each) => followed(graph, each, room, []));
}

function followed(
  graph: RoutingGraph,
  { ends }: Trace,
  room: { left: number; turns: RotationState },
  before: readonly string[],
): Consequence[] {
  const { topology } = graph;
  return ends.flatMap(({ hop, end }) => {
    if (end.outcome !== 'taken') return [];
    const type = topology.messages.get(hop.message.type ?? '');
    const store = graph.nodes.get(hop.node);
    if (!type || !store) return [];
    return (hop.takers ?? []).flatMap((taker): Consequence[] => {
      const app = taker.replace(/^app:/, '');
      const decl = taker.startsWith('app:') ? topology.declared.apps?.get(app)?.value : undefined;
      return reasonsOf(decl, type).flatMap(({ publish, handedTo, place }): Consequence[] => {
        if (room.left <= 0) return [];
        room.left--;
        const step = { app, from: addressOf(store.thing), because: type.id, copies: end.copies, place };
        if (handedTo !== undefined) return [{ ...step, handedTo, then: [] }];
        const next = topology.messages.get(publish!.message?.value ?? '');
        if (!next) return [];
        const message = after(next, hop.message);
        const sending = sendingOf(app, publish!);
        const { trace: found, turns } = trace(graph, message, sending, room.turns);
        room.turns = turns;
        const sign = JSON.stringify([app, sending.to, message.type, message.key]);
        const sent = { message, sending, trace: found };
        return before.includes(sign)
          ? [{ ...step, sent, round: true, then: [] }]
          : [{ ...step, sent, then: followed(graph, found, room, [...before, sign]) }];
      });
    });
  });
}

interface Reason {
  readonly publish?: NonNullable<AppDecl['publishes']>['items'][number];
  readonly handedTo?: string;
  readonly place: Place;
}

/** What an app does because of a type it takes, or of one that it extends. */
function reasonsOf(app: AppDecl | undefined, { lineage }: MessageType): Reason[] {
  return [
    ...(app?.publishes?.items ?? []).map((publish) => ({ publish, because: publish.because })),
    ...(app?.hands?.items ?? []).map(({ to, because }) => ({ handedTo: to?.value ?? '', because })),
  ].flatMap(({ because, ...reason }) => {
    const meant = because?.items.find(({ value }) => lineage.includes(value));
    return meant ? [{ ...reason, place: meant.place }] : [];
  });
}

/**
 * The message that follows: the type's first example, with the headers and properties of the message before
 * it that its type has too, where their values fit.
 */
function after(type: MessageType, { headers, properties, body }: Message): Message {
  const [first] = samplesOf(type);
  const own = first!.message;
  // what a topic wrapped has its headers inside
  const inner = (body as { headers?: Message['headers'] } | undefined)?.headers;
  const given = Object.keys(headers).length || typeof inner !== 'object' ? headers : inner;
  const shared = (values: Message['headers'], has: ReadonlyMap<string, unknown>) =>
    Object.fromEntries(Object.entries(values).filter(([name]) => has.has(name)));
  const made = complete(type, {
    headers: { ...own.headers, ...shared(given, type.headers) },
    properties: { ...own.properties, ...shared(properties, type.properties) },
    ...(own.body === undefined ? {} : { body: own.body }),
  });
  return remarksOn(type, made).length === 0 ? made : own;
}

/** @returns everything that follows, what follows from each right behind it, with how far through it is */
export function* allFollowed(
  steps: readonly Consequence[],
  depth = 0,
): Generator<{ readonly step: Consequence; readonly depth: number }> {
  for (const step of steps) {
    yield { step, depth };
    yield* allFollowed(step.then, depth + 1);
  }
}
