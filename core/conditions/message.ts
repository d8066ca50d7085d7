/** One concrete message: what travels, apart from how it is sent. */
export interface Message {
  /** The declared message type it is an example of, when it has one. */
  readonly type?: string;
  /** The AMQP routing key; on MQTT entries the topic already translated. Empty when there is none. */
  readonly key: string;
  readonly headers: Readonly<Record<string, unknown>>;
  /** `type`, `subject`, `correlationId`, `messageId`, `priority`, `timestamp`, `deliveryMode`, … */
  readonly properties: Readonly<Record<string, unknown>>;
  readonly body?: unknown;
}

/** @returns a message from its parts, with what is absent empty. */
export function message(parts: Partial<Message>): Message {
  return { key: '', headers: {}, properties: {}, ...parts };
}
