/** What is told of messages that were looked at: which types they are of, and as much of what is in them as one may read. */
import { arrivalsIn, expectedOf, recognise } from '@vondle/core/analysis';
import type { Message } from '@vondle/core/conditions';
import { buildGraph } from '@vondle/core/routing';
import { guardedLabels, type Topology } from '@vondle/core/topology';
import type { MessageSeen, Reads } from '@vondle/api';
import type { Peeked } from './peek.ts';

/** So much of a body is told, and so many bodies' bytes altogether. */
const MOST_BODY = 64 * 1024;

/**
 * @param broker @param store where they lie, as the broker calls it
 * @param reads what whoever looks may read
 */
export function toldOf(
  topology: Topology,
  { broker, store }: { broker: string; store: string },
  messages: readonly Peeked[],
  reads: Reads,
): MessageSeen[] {
  const graph = buildGraph(topology);
  const types = [...topology.messages.values()];
  const declared = expectedOf(graph).stores.find((each) => each.broker === broker && each.name === store);
  const mayBe = declared ? mayBeIn(graph, declared.id) : new Set<string>();
  const guarded = guardedLabels(topology.declared);
  return messages.map((peeked, i) => {
    const body = bodyOf(peeked);
    const message: Message = {
      key: peeked.key,
      headers: peeked.headers,
      properties: peeked.properties,
      // what has no payload at all is as good as null to a schema
      body: body.value ?? null,
    };
    const found = recognise(types, message, mayBe, 'bytes' in peeked.body);
    const { body: raw } = peeked;
    const hidden = hiddenWhy(found, guarded, reads);
    // what is wrong in a body says what is in it
    const said = (remark: string) =>
      hidden !== '' && remark.startsWith('the body:') ? 'the body is not as the type says' : remark;
    return {
      place: i + 1,
      key: peeked.key,
      exchange: peeked.exchange,
      headers: { ...peeked.headers },
      properties: { ...peeked.properties },
      size: 'bytes' in raw ? raw.bytes.byteLength : null,
      tries: peeked.tries,
      arrivedAt: peeked.arrivedAt,
      inHand: peeked.inHand,
      deaths: peeked.deaths.map((each) => ({ ...each })),
      body: shown(body, hidden),
      types: found.map(({ type, remarks, labels }) => ({
        type,
        remarks: remarks.map(said),
        labels: [...labels],
      })),
    };
  });
}

/** @param place a thing's id. @returns the types that may come there */
export const mayBeIn = (graph: ReturnType<typeof buildGraph>, place: string): ReadonlySet<string> =>
  new Set((arrivalsIn(graph).get(nodeOf(graph, place)) ?? []).map(({ type }) => type.id));

const nodeOf = (graph: ReturnType<typeof buildGraph>, id: string): string =>
  [...graph.nodes.values()].find(
    ({ thing, role }) =>
      thing.id === id &&
      (role === 'queue' || role === 'subscription' || role === 'exchange' || role === 'topic'),
  )?.id ?? '';

/** @returns why somebody is not shown a body; '' where they are. What is of no declared type may be anything. */
function hiddenWhy(found: ReturnType<typeof recognise>, guarded: ReadonlySet<string>, reads: Reads): string {
  if (reads === 'nothing')
    return 'You are not let read what is in messages; an owner may let you, in People.';
  if (reads === 'guarded bodies' || guarded.size === 0) return '';
  const of = found.filter(({ remarks }) => remarks.length === 0);
  if (of.length === 0)
    return 'It is of no declared type, so it may carry guarded data; you are let read what does not.';
  const carries = of.flatMap(({ labels }) => labels.filter((each) => guarded.has(each)));
  return carries.length
    ? `It carries guarded data (${[...new Set(carries)].join(', ')}); you are let read what does not.`
    : '';
}

type Body = Pick<MessageSeen['body'], 'as' | 'value'>;

function shown({ as, value }: Body, hidden: string): MessageSeen['body'] {
  if (hidden !== '') return { as, value: null, cut: false, hidden };
  const text = as === 'json' ? JSON.stringify(value) : String(value ?? '');
  if (text.length <= MOST_BODY) return { as, value: value ?? null, cut: false, hidden };
  return { as: as === 'json' ? 'text' : as, value: text.slice(0, MOST_BODY), cut: true, hidden };
}

/** @returns a body by its content type; where that says nothing, as what its bytes are */
export function bodyOf({ body, properties }: Pick<Peeked, 'body' | 'properties'>): Body {
  if (!('bytes' in body))
    return body.value === null ? { as: 'nothing', value: null } : { as: 'json', value: body.value };
  const bytes = Buffer.from(body.bytes);
  if (bytes.byteLength === 0) return { as: 'nothing', value: null };
  const type = typeof properties['contentType'] === 'string' ? properties['contentType'].toLowerCase() : '';
  const encoded = properties['contentEncoding'];
  const base64 = { as: 'bytes' as const, value: bytes.toString('base64') };
  // what is compressed is shown as it is
  if (typeof encoded === 'string' && !/^(identity|utf-?8)?$/i.test(encoded)) return base64;
  let text: string;
  try {
    text = new TextDecoder('utf-8', { fatal: true }).decode(bytes);
  } catch {
    return base64;
  }
  if (type.includes('json') || (type === '' && /^\s*[[{"\d-]/.test(text)))
    try {
      return { as: 'json', value: JSON.parse(text) as unknown };
    } catch {
      return { as: 'text', value: text };
    }
  // eslint-disable-next-line no-control-regex -- bytes that no text has
  return /[\0-\x08\x0e-\x1a]/.test(text) ? base64 : { as: 'text', value: text };
}
