/**
 * Ends of links on publish-subscribe services, over AMQP 1.0: signed in as the link, with what that may do. What only
 * AMQP 0-9-1 knows travels in annotations of the message, and comes out again at the other end.
 */
import type { Options } from 'amqplib';
import rhea from 'rhea';
import { within } from '../../targets/amqp/broker.ts';
import { BrokerTrouble, brokerTrouble } from '../../targets/amqp/trouble.ts';
import type { HostedService } from '../../targets/hosted/service.ts';
import type { Place, Taken, Travelling } from './end.ts';

const ANSWER_MS = 10_000;
/** Message annotations (AMQP 1.0 §3.2.3) by which a key and what 1.0 has no property for travel. */
const KEY = 'x-opt-key';
const TYPE = 'x-opt-jms-type';
/** The header by which a subject, which AMQP 0-9-1 does not know, travels there. */
const SUBJECT = 'x-opt-subject';

/**
 * @param link whose link it is, and as whom it signs in
 * @returns a space of a service as links take from it and deliver to it
 */
export function hostedPlace(service: HostedService, link: { name: string; tenant?: string }): Place {
  const open = async (failed: (error: unknown) => void) => {
    const { host, port, tls, username, password } = await service.client(link);
    const container = rhea.create_container();
    const connection = container.connect({
      host,
      port,
      username,
      password,
      reconnect: false,
      idle_time_out: 30_000,
      ...(tls ? { transport: 'tls' as const, servername: host } : {}),
    } as rhea.ConnectionOptions);
    for (const event of ['connection_error', 'disconnected', 'error', 'session_error', 'protocol_error'])
      connection.on(event, () => failed(wordsOf(connection)));
    await within(
      new Promise<void>((done, fail) => {
        connection.once('connection_open', () => done());
        connection.once('disconnected', () => fail(new BrokerTrouble('unreachable')));
        connection.once('connection_error', () => fail(wordsOf(connection)));
      }),
      ANSWER_MS,
    );
    return connection;
  };
  const cut = (connection: rhea.Connection) => {
    const { socket } = connection as unknown as { socket?: { destroy(error: Error): void } };
    connection.removeAllListeners('disconnected');
    // its own end is nothing that anybody has to hear of
    connection.on('disconnected', () => {});
    socket?.destroy(new Error('cut off'));
  };
  return {
    async source(store, failed) {
      const connection = await open(failed);
      try {
        const receiver = connection.open_receiver({
          source: { address: store },
          credit_window: 0,
          autoaccept: false,
          autosettle: true,
        } as rhea.ReceiverOptions);
        await opened(receiver, 'receiver');
        receiver.on('receiver_close', () => failed(wordsOf(receiver)));
        let stopped = false;
        let told: (message: Taken) => void = () => {};
        receiver.on('message', ({ message, delivery }: rhea.EventContext) =>
          told({
            ...travellingOf(message!),
            settle() {
              if (!connection.is_open()) throw new BrokerTrouble('gone');
              delivery!.accept();
              if (!stopped) receiver.add_credit(1);
            },
          }),
        );
        return {
          take(most, take) {
            told = take;
            receiver.add_credit(most);
            return Promise.resolve();
          },
          stop() {
            stopped = true;
            return Promise.resolve();
          },
          async close() {
            const over = new Promise<void>((done) => connection.once('connection_close', () => done()));
            receiver.removeAllListeners('receiver_close');
            connection.close();
            await over;
          },
          cut: () => cut(connection),
        };
      } catch (error) {
        cut(connection);
        throw brokerTrouble(error);
      }
    },
    async sink(failed) {
      const connection = await open(failed);
      const senders = new Map<string, Promise<rhea.Sender>>();
      const waiting = new Map<rhea.Delivery, (error?: unknown) => void>();
      const senderTo = (entry: string): Promise<rhea.Sender> => {
        const known = senders.get(entry);
        if (known) return known;
        const sender = connection.open_sender({ target: { address: entry }, autosettle: true });
        const settled = (error?: unknown) => (context: rhea.EventContext) => {
          waiting.get(context.delivery!)?.(error ?? whyNot(context));
          waiting.delete(context.delivery!);
        };
        sender.on('accepted', ({ delivery }: rhea.EventContext) => {
          waiting.get(delivery!)?.();
          waiting.delete(delivery!);
        });
        for (const refusal of ['rejected', 'released', 'modified']) sender.on(refusal, settled());
        sender.on('sender_close', () => failed(wordsOf(sender)));
        const ready = opened(sender, 'sender').then(() => sender);
        senders.set(entry, ready);
        return ready;
      };
      return {
        publish({ entry }, message, done) {
          senderTo(entry!).then((sender) => {
            const send = () => waiting.set(sender.send(hostedMessage(message)), done);
            if (sender.sendable()) send();
            else sender.once('sendable', send);
          }, done);
        },
        cut: () => cut(connection),
      };
    },
  };
}

/** @returns in words, why the other end closed or refused something */
function wordsOf(of: object): BrokerTrouble {
  const { error } = of as { error?: { description?: string } };
  return error?.description
    ? new BrokerTrouble('refused', '', error.description.slice(0, 300))
    : new BrokerTrouble('gone');
}

function whyNot({ delivery }: rhea.EventContext): BrokerTrouble {
  const { error } = (delivery!.remote_state ?? {}) as { error?: { description?: string } };
  return wordsOf({ error: error ?? { description: 'the far end did not take a message' } });
}

/** Waits for the other end to attach; one that is refused is closed at once, with the reason. */
function opened(link: rhea.Sender | rhea.Receiver, role: 'sender' | 'receiver'): Promise<void> {
  return within(
    new Promise((done, fail) => {
      link.once(`${role}_error`, () => fail(wordsOf(link)));
      link.once(`${role}_close`, () => fail(wordsOf(link)));
      link.once('disconnected', () => fail(new BrokerTrouble('gone')));
      if (role === 'sender') link.once('sendable', () => done());
      // a refusal comes right behind the opening
      else link.once('receiver_open', () => setTimeout(done, 50));
    }),
    ANSWER_MS,
  );
}

const text = (value: unknown): string | undefined =>
  value === undefined || value === null
    ? undefined
    : Buffer.isBuffer(value)
      ? value.toString('hex')
      : String(value);

/** @returns a message of AMQP 0-9-1 as one of 1.0: properties by their names, headers as application properties */
export function hostedMessage({ key, content, properties }: Travelling): rhea.Message {
  const {
    messageId,
    correlationId,
    replyTo,
    contentType,
    priority,
    timestamp,
    expiration,
    deliveryMode,
    type,
  } = properties;
  const { [SUBJECT]: subject, ...headers } = (properties.headers ?? {}) as Record<string, unknown>;
  const plain = Object.entries(headers).map(([name, value]) => [
    name,
    ['string', 'number', 'boolean'].includes(typeof value) ? value : JSON.stringify(value),
  ]);
  const some = (fields: Record<string, unknown>) =>
    Object.fromEntries(Object.entries(fields).filter(([, value]) => value !== undefined));
  return {
    ...some({
      message_id: messageId,
      correlation_id: correlationId,
      reply_to: replyTo,
      content_type: contentType,
      subject: text(subject),
      priority,
      creation_time: timestamp === undefined ? undefined : new Date(Number(timestamp) * 1000),
      ttl: expiration === undefined ? undefined : Number(expiration),
      durable: deliveryMode === 2 ? true : undefined,
    }),
    message_annotations: some({ [KEY]: key, [TYPE]: type }),
    application_properties: Object.fromEntries(plain),
    body: rhea.message.data_section(content),
  } as rhea.Message;
}

/** @returns a message of AMQP 1.0 as one of 0-9-1 */
export function travellingOf(message: rhea.Message): Travelling {
  const {
    message_id,
    correlation_id,
    reply_to,
    content_type,
    subject,
    priority,
    ttl,
    durable,
    creation_time,
  } = message;
  const annotations = (message.message_annotations ?? {}) as Record<string, unknown>;
  const headers: Record<string, unknown> = {};
  for (const [name, value] of Object.entries(message.application_properties ?? {}))
    headers[name] = typeof value === 'bigint' ? Number(value) : value;
  if (subject !== undefined && subject !== null) headers[SUBJECT] = subject;
  const properties: Options.Publish = { headers, deliveryMode: durable === false ? 1 : 2 };
  const put = <K extends keyof Options.Publish>(name: K, value: Options.Publish[K] | undefined | null) => {
    if (value !== undefined && value !== null) properties[name] = value;
  };
  put('messageId', text(message_id));
  put('correlationId', text(correlation_id));
  put('replyTo', text(reply_to));
  put('contentType', text(content_type));
  put('type', text(annotations[TYPE]));
  put('priority', priority);
  put('expiration', ttl);
  if (creation_time) put('timestamp', Math.floor(new Date(creation_time).getTime() / 1000));
  return { key: text(annotations[KEY]) ?? '', content: contentOf(message.body), properties };
}

/** @returns the bytes of a body: of data sections as they are, of text in UTF-8, of other values as JSON */
function contentOf(body: unknown): Buffer {
  const section = body as { typecode?: number; content?: Buffer | Buffer[] } | null | undefined;
  if (section?.typecode === 0x75)
    return Array.isArray(section.content)
      ? Buffer.concat(section.content)
      : (section.content ?? Buffer.alloc(0));
  if (Buffer.isBuffer(body)) return body;
  if (body === undefined || body === null) return Buffer.alloc(0);
  return Buffer.from(typeof body === 'string' ? body : JSON.stringify(body));
}
