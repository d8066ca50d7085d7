/** Samples kept in the topology: whole messages, and how each is sent. */
import { complete } from './samples.ts';
import type { Message } from '../../conditions/message.ts';
import type { PublishDecl } from '../../language/app.ts';
import type { SampleDecl } from '../../language/sample.ts';
import type { RoutingGraph } from '../../routing/graph.ts';
import type { Sending } from '../../routing/hop.ts';
import { type Trace, trace } from '../../routing/trace.ts';
import { remembered } from '../../incremental/memory.ts';
import type { Place } from '../../syntax/place.ts';
import type { Json } from '../../syntax/render.ts';
import type { Topology } from '../../topology/topology.ts';

export interface KeptSample {
  readonly name: string;
  readonly group: string;
  readonly message: Message;
  /** Where it is sent: as the type's publishers declare it. */
  readonly sendings: readonly Sending[];
  readonly place: Place;
}

/** @returns how a message type is sent: by each app (or one of them), to each entry it names. */
export function sendingsOf({ declared }: Topology, type: string, from?: string): Sending[] {
  const all = (declared.apps && sendingsIn(declared.apps).get(type)) ?? [];
  return from === undefined ? [...all] : all.filter((each) => each.from === `app:${from}`);
}

/** How each type is sent: apps are many, and each of their messages is asked about. */
const sendingsIn = remembered((apps: NonNullable<Topology['declared']['apps']>) => {
  const byType = new Map<string, Sending[]>();
  for (const [app, { value }] of apps)
    for (const publish of value.publishes?.items ?? []) {
      if (!publish.message || !publish.to) continue;
      const sending = sendingOf(app, publish);
      const own = byType.get(publish.message.value);
      if (own) own.push(sending);
      else byType.set(publish.message.value, [sending]);
    }
  return byType;
});

/** @returns a sending as an app's declaration has it */
export function sendingOf(app: string, { to, via, mandatory }: PublishDecl): Sending {
  return {
    to: to?.value ?? '',
    from: `app:${app}`,
    ...(via?.value === 'mqtt' ? { via: 'mqtt' } : {}),
    ...(mandatory?.value ? { mandatory: true } : {}),
  };
}

/** @returns the samples kept, those of one message type that is not declared left out. */
export function keptSamples(topology: Topology): KeptSample[] {
  return (topology.declared.samples?.items ?? []).flatMap((decl: SampleDecl): KeptSample[] => {
    const type = topology.messages.get(decl.message?.value ?? '');
    if (!type || !decl.name) return [];
    const message = complete(type, {
      headers: decl.headers?.value ?? {},
      properties: decl.properties?.value ?? {},
      ...(decl.key ? { key: decl.key.value } : {}),
      ...(decl.body ? { body: decl.body.value } : {}),
    });
    const sent = sendingsOf(topology, type.id, decl.from?.value);
    return [
      {
        name: decl.name.value,
        group: decl.group?.value ?? type.id,
        message,
        // several apps may send it: the first where none is named
        sendings: decl.from ? sent : sent.filter(({ from }) => from === sent[0]!.from),
        place: decl.name.place,
      },
    ];
  });
}

/** Follows a sample to all the places it is sent to. */
export const traceSample = (graph: RoutingGraph, sample: KeptSample): Trace[] =>
  sample.sendings.map((sending) => trace(graph, sample.message, sending).trace);

/**
 * @param from the app that sends it
 * @returns what is written into a document to keep a message; what its type gives it anyway is left out
 */
export function sampleToWrite(
  topology: Topology,
  message: Message,
  { name, group, from }: { name: string; group?: string; from?: string },
): Json {
  const type = topology.messages.get(message.type ?? '');
  const given = {
    ...(Object.keys(message.headers).length ? { headers: message.headers as Json } : {}),
    ...propertiesToWrite(topology, message),
  };
  const own = !type || complete(type, { headers: message.headers }).key !== message.key;
  return {
    name,
    ...(group ? { group } : {}),
    message: message.type ?? '',
    ...(from ? { from } : {}),
    ...(own ? { key: message.key } : {}),
    ...given,
    ...(message.body === undefined ? {} : { body: message.body as Json }),
  };
}

/** Properties that the type does not already make constant. */
export function propertiesToWrite(topology: Topology, message: Message): { properties?: Json } {
  const type = topology.messages.get(message.type ?? '');
  const own = Object.entries(message.properties).filter(
    ([name, value]) => type?.properties.get(name)?.schema['const'] !== value,
  );
  return own.length ? { properties: Object.fromEntries(own) as Json } : {};
}
