/** A topology as plain data, as it is written: what the second interpreter reads, and the documents are made of. */

export interface Headers {
  match?: 'all' | 'any';
  values: Record<string, string | number | boolean | null>;
}

export interface Dead {
  to: string;
  key?: string;
}

export interface Exchange {
  type: 'direct' | 'fanout' | 'topic' | 'headers';
  unroutedTo?: string;
  internal?: boolean;
}

export interface Queue {
  perInstanceOf?: string;
  wireName?: string;
  ttl?: string;
  deadLetter?: Dead;
}

export interface Binding {
  from: string;
  to: string;
  key?: string;
  headers?: Headers;
}

export interface Subscription {
  topic: string;
  to?: string;
  wrap?: boolean;
  ttl?: string;
  deadLetter?: Dead;
  filter?: Filter;
}

export type Filter =
  | { selector: string }
  | { match: Record<string, string | number> }
  | { prefix: Record<string, string> }
  | { any: Filter[] }
  | { all: Filter[] }
  | { not: Filter };

export interface Alias {
  to: string;
  over?: string;
}

export interface Broker {
  kind: 'amqp' | 'pubsub';
  access?: 'open' | 'controlled';
  mqtt?: { exchange: string };
  exchanges?: Record<string, Exchange>;
  queues?: Record<string, Queue>;
  bindings?: Binding[];
  topics?: Record<string, object>;
  subscriptions?: Record<string, Subscription>;
  aliases?: Record<string, Alias>;
}

export interface App {
  instances?: number;
  home?: string;
  publishes?: { message: string; to: string; via?: 'mqtt'; mandatory?: boolean }[];
  consumes?: { from: string; via?: 'mqtt'; topic?: string }[];
}

export interface Link {
  from: string;
  to: string;
  keys?: string[];
  active?: boolean;
}

export interface Spread {
  members: string[];
  choose?: 'rotate' | 'nearest' | 'weighted';
  weights?: number[];
}

export interface Statement {
  allow?: string[];
  deny?: string[];
  who: string | string[];
  on: string | string[];
  when?: { key?: string; source?: string };
}

export interface Model {
  tenant: string;
  messages: Record<string, object>;
  brokers: Record<string, Broker>;
  apps: Record<string, App>;
  links: Record<string, Link>;
  spreads: Record<string, Spread>;
  access: Statement[];
}

/** One message and how it is sent. */
export interface Sent {
  to: string;
  via?: 'mqtt';
  from?: string;
  type?: string;
  mandatory?: boolean;
  key: string;
  headers: Record<string, string | number | boolean>;
  properties: Record<string, string | number>;
}

/** What became of a message: how many copies each end has, by outcome and place; copies and takers by store. */
export interface Told {
  ends: Record<string, number>;
  stores: Record<string, number>;
  takers: Record<string, string[]>;
}
