import { check } from '../check.ts';
import { keeping } from './no-dead-letter.ts';
import { listed } from '../../../base/phrase.ts';
import { addressOf } from '../../../language/thing.ts';
import { setAt } from '../../../syntax/edit/edit.ts';

/** A length limit that drops messages without anybody having said so. */
export const silentLimit = check({
  id: 'loss/silent-limit',
  severity: 'advice',
  finds: 'A length limit that drops messages silently: no dead letter, and nothing said about overflow.',
  why: 'When such a queue is full the oldest messages go, without a word to anybody. Say that this is meant, or where they shall go.',
  of: 'node',
  run: (node, context) => {
    if (node.role !== 'queue' || !('maxLength' in node.decl || 'maxBytes' in node.decl)) return [];
    const limit = node.decl.maxLength ?? node.decl.maxBytes;
    if (!limit || node.decl.deadLetter || node.decl.overflow?.value === 'refuse-new') return [];
    const precious = [
      ...new Set(context.arrivals(node.id).flatMap(({ type }) => (type.mustArrive ? [type.id] : []))),
    ];
    if (node.decl.overflow && precious.length === 0) return [];
    const { broker, name } = node.thing;
    const what = precious.length ? `, among them what must not be lost (${listed(precious)})` : '';
    const limitText = node.decl.maxLength ? `${limit.value} messages` : `${limit.value} bytes`;
    return [
      {
        message: `${addressOf(node.thing)} keeps ${limitText} and drops the oldest silently when there are more${what}.`,
        place: limit.place,
        about: node.id,
        ...(precious.length ? { severity: 'error' as const } : {}),
        mends: [
          keeping(node.thing),
          {
            title: 'Refuse new messages when it is full',
            edit: (topology) =>
              setAt(topology, ['brokers', broker, 'queues', name, 'overflow'], 'refuse-new'),
          },
          ...(precious.length
            ? []
            : [
                {
                  title: 'Say that dropping the oldest is meant',
                  edit: (topology: Parameters<typeof setAt>[0]) =>
                    setAt(topology, ['brokers', broker, 'queues', name, 'overflow'], 'drop-oldest'),
                },
              ]),
        ],
      },
    ];
  },
});
