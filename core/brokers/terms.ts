/** The routing graph's terms: nodes a message can be at, and ways from one to another. */
import type { AmqpQueueDecl, BindingDecl, ExchangeDecl } from './amqp/declares.ts';
import type { AliasDecl } from './common.ts';
import type { HostedQueueDecl, SubscriptionDecl, TopicDecl } from './pubsub/declares.ts';
import type { Predicate } from '../conditions/predicate.ts';
import type { AppDecl, ConsumeDecl, PublishDecl } from '../language/app.ts';
import type { DeadLetterDecl } from '../language/dead-letter.ts';
import type { LinkDecl } from '../language/link.ts';
import type { SpreadDecl } from '../language/spread.ts';
import type { Thing } from '../language/thing.ts';
import type { Place } from '../syntax/place.ts';

/** A node's role in the flow; an app that both sends and takes is two nodes. */
export type NodeRole =
  'publisher' | 'exchange' | 'topic' | 'alias' | 'spread' | 'queue' | 'subscription' | 'taker';

interface NodeOf<R extends NodeRole, D> {
  readonly id: string;
  readonly role: R;
  readonly thing: Thing;
  readonly place: Place;
  readonly decl: D;
}

export type ExchangeNode = NodeOf<'exchange', ExchangeDecl>;
export interface QueueNode extends NodeOf<'queue', AmqpQueueDecl | HostedQueueDecl> {
  /** The key that messages have in it which were addressed to the queue itself, where its kind of broker sets one. */
  readonly enteredAs?: string;
}
/** The store of an MQTT taker, which no document declares by itself. */
type SessionDecl = SubscriptionDecl & Pick<AmqpQueueDecl, 'perInstanceOf'>;
export interface SubscriptionNode extends NodeOf<'subscription', SessionDecl> {
  /** Of an MQTT taker's: the exchange that feeds it, at which the taker needs permission to consume. */
  readonly session?: string;
}
export type StoreNode = QueueNode | SubscriptionNode;
export type TopicNode = NodeOf<'topic', TopicDecl>;
export type AliasNode = NodeOf<'alias', AliasDecl>;
export type SpreadNode = NodeOf<'spread', SpreadDecl>;
export type AppNode = NodeOf<'publisher' | 'taker', AppDecl>;
export type GraphNode =
  ExchangeNode | QueueNode | SubscriptionNode | TopicNode | AliasNode | SpreadNode | AppNode;

export type EdgeKind =
  'publish' | 'binding' | 'unrouted' | 'subscription' | 'deadLetter' | 'alias' | 'link' | 'member' | 'take';

/** A way from one node to another. */
export interface Edge {
  /** Unique, and the same for the same declaration in two revisions. */
  readonly id: string;
  readonly kind: EdgeKind;
  readonly from: string;
  readonly to: string;
  /** The declaration that makes it. */
  readonly place: Place;
  /** What a message must meet to go this way. */
  readonly condition: Predicate;
  /** The words on it in a picture: a key, a filter. Empty for none. */
  readonly label: string;
  /** What a router finds it by: the binding key, or the one an MQTT topic filter becomes. */
  readonly key?: string;
  readonly publish?: PublishDecl;
  readonly consume?: ConsumeDecl;
  readonly binding?: BindingDecl;
  readonly subscription?: SubscriptionNode;
  readonly link?: { readonly thing: Thing; readonly decl: LinkDecl };
  readonly deadLetter?: DeadLetterDecl;
}

/** A way as it is declared, before it is an edge. */
export interface DeclaredWay {
  readonly kind: EdgeKind;
  /** Node ids; '' for what names nothing. */
  readonly from: string;
  readonly to: string;
  /** The declaration that makes it: one object for as long as its text stays. */
  readonly of: object;
  /** What else it is made of, where that may change by itself. */
  readonly with?: unknown;
  /** @returns what else the edge has */
  readonly more: (
    way: DeclaredWay,
  ) => Pick<Edge, 'place'> & Partial<Omit<Edge, 'id' | 'kind' | 'from' | 'to' | 'place'>>;
}
