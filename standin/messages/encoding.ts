/** What the protocol's package does but has no types for. */
import rhea from 'rhea';

/** A reader of the protocol's own types (AMQP 1.0 part 1). */
export interface TypeReader {
  position: number;
  remaining(): number;
  read(): { descriptor?: { value: unknown } };
}
export const { Reader } = rhea.types as unknown as {
  Reader: {
    new (bytes: Buffer): TypeReader;
    prototype: TypeReader & { read_array_items(n: number, type: unknown): unknown[]; guarded?: true };
  };
};

/** A message as the package has it: its sections' fields side by side. */
export interface Decoded {
  readonly durable?: boolean;
  readonly priority?: number;
  readonly ttl?: number;
  readonly delivery_count?: number;
  readonly message_annotations?: Readonly<Record<string, unknown>>;
  readonly message_id?: unknown;
  readonly to?: unknown;
  readonly subject?: unknown;
  readonly reply_to?: unknown;
  readonly correlation_id?: unknown;
  readonly content_type?: unknown;
  readonly creation_time?: unknown;
  readonly group_id?: unknown;
  readonly application_properties?: Readonly<Record<string, unknown>>;
  readonly body?: unknown;
}

const codec = rhea.message as unknown as {
  encode(message: Decoded): Buffer;
  decode(bytes: Buffer): Decoded;
  data_section(bytes: Buffer): unknown;
  released(fields: object): { described(): unknown };
};

export const encode = (message: Decoded): Buffer => codec.encode(message);
/** @throws Error where the bytes are no message */
export const decode = (bytes: Buffer): Decoded => codec.decode(bytes);
/** @returns a body of bytes (§3.2.6) */
export const data = (bytes: Buffer): unknown => codec.data_section(bytes);
/** @returns the outcome of a delivery that is nobody's any more (§3.4.4) */
export const released = (): object => codec.released({}).described() as object;
