/** What is told of bodies to whom, by the labels of what they are. */
import { readTopology } from '@vondle/core/topology';
import { toldOf } from './told.ts';

const text = (labels: string, more = '') => `
messages: { fare: { labels: ${labels}, body: { type: object, required: [name] } } }
brokers: { m: { kind: amqp, access: open, queues: { box: {} } } }
${more}`;
const bodyTold = (document: string, reads: 'nothing' | 'bodies' | 'guarded bodies') => {
  const topology = readTopology([{ name: 'a.yaml', text: document }]);
  const message = {
    key: '',
    exchange: '',
    headers: {},
    properties: { contentType: 'application/json' },
    body: { bytes: Buffer.from('{"name":"Ada"}') },
    tries: null,
    arrivedAt: null,
    inHand: false,
    deaths: [],
  };
  return toldOf(topology, { broker: 'm', store: 'box' }, [message], reads)[0]!.body;
};

test.each(['personal', 'financial'])('%s data is guarded where no document says otherwise', (label) => {
  expect(bodyTold(text(`[${label}]`), 'bodies')).toMatchObject({
    value: null,
    hidden: `It carries guarded data (${label}); you are let read what does not.`,
  });
  expect(bodyTold(text(`[${label}]`), 'guarded bodies')).toMatchObject({
    value: { name: 'Ada' },
    hidden: '',
  });
  expect(bodyTold(text(`[${label}]`, `labels: { ${label}: { guarded: false } }`), 'bodies').hidden).toBe('');
});

test('a label of one’s own is guarded where it is said to be', () => {
  expect(bodyTold(text('[secret]', 'labels: { secret: { guarded: true } }'), 'bodies').value).toBeNull();
  expect(bodyTold(text('[secret]', 'labels: { secret: {} }'), 'bodies').hidden).toBe('');
  expect(bodyTold(text('[]'), 'nothing').value).toBeNull();
});

test('a message without payload is of no type that asks for one', () => {
  const topology = readTopology([{ name: 'a.yaml', text: text('[]') }]);
  const empty = {
    key: '',
    exchange: '',
    headers: {},
    properties: {},
    body: { bytes: Buffer.alloc(0) },
    tries: null,
    arrivedAt: null,
    inHand: false,
    deaths: [],
  };
  const [told] = toldOf(topology, { broker: 'm', store: 'box' }, [empty], 'bodies');
  expect(told!.types).toMatchObject([{ type: 'fare', remarks: ['the body is not as the type says'] }]);
});
