/** Concrete messages of a declared type: its examples, or one made from its domains. */
import { put } from '../../base/values.ts';
import type { Message } from '../../conditions/message.ts';
import type { MessageType } from '../../topology/messages.ts';

export interface Sample {
  /** What to call it: the example's name, or what tells it from its siblings. */
  readonly name: string;
  readonly message: Message;
}

/**
 * @returns the type's examples as whole messages (keys filled in from their headers, missing
 * required values made up from their domains); one made-up message where there are no examples
 */
export function samplesOf(type: MessageType): Sample[] {
  if (type.examples.length === 0) return [{ name: 'made from the type', message: complete(type, {}) }];
  return type.examples.map((example, index) => {
    const headers = example.headers?.value ?? {};
    const distinguishing = Object.values(headers).map(String).join(', ');
    return {
      name: example.name?.value ?? (distinguishing || `example ${index + 1}`),
      message: complete(type, {
        headers,
        ...(example.key ? { key: example.key.value } : {}),
        properties: example.properties?.value ?? {},
        ...(example.body ? { body: example.body.value } : {}),
      }),
    };
  });
}

/**
 * Fills in what a message of a type must have: constants, required headers and properties, and its
 * key from the type's template.
 */
export function complete(type: MessageType, given: Partial<Message>): Message {
  const headers: Record<string, unknown> = { ...given.headers };
  const properties: Record<string, unknown> = { ...given.properties };
  for (const [name, { schema }] of type.headers) {
    if (!Object.hasOwn(headers, name) && (type.required.has(name) || 'const' in schema))
      put(headers, name, valueOf(schema));
  }
  for (const [name, { schema }] of type.properties) {
    if (!Object.hasOwn(properties, name) && (type.required.has(name) || 'const' in schema)) {
      put(properties, name, valueOf(schema));
    }
  }
  const template = type.key?.value ?? '';
  const key =
    given.key ??
    template.replace(/\{([^{}]*?)(\.\.\.)?\}/g, (_, name: string) => {
      const value =
        headers[name] ?? (type.headers.has(name) ? valueOf(type.headers.get(name)!.schema) : name);
      return String(value);
    });
  return {
    type: type.id,
    key,
    headers,
    properties,
    ...(given.body === undefined ? {} : { body: given.body }),
  };
}

/** @returns some value of a JSON Schema's domain: its constant, first choice, least number, or a plain one. */
export function valueOf(schema: Readonly<Record<string, unknown>>): unknown {
  if ('const' in schema) return schema['const'];
  if (Array.isArray(schema['enum']) && schema['enum'].length) return schema['enum'][0];
  if ('default' in schema) return schema['default'];
  switch (schema['type']) {
    case 'integer':
    case 'number':
      return typeof schema['minimum'] === 'number' ? schema['minimum'] : 0;
    case 'boolean':
      return false;
    default:
      return 'x';
  }
}
