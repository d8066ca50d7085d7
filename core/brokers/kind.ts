/** What a kind of broker is to everybody who knows no kind by name. */
import type { Edited } from '../base/edits.ts';
import type { Owners } from '../incremental/changed.ts';
import type { AcceptanceDecl } from '../language/acceptance.ts';
import type { DeadLetterDecl } from '../language/dead-letter.ts';
import type { Items, List } from '../language/shape.ts';
import type { ThingKind } from '../language/thing.ts';
import type { Located, Place, Placed } from '../syntax/place.ts';
import type { DeclaredWay, GraphNode } from './terms.ts';

/** What is declared of a resource of any kind. */
export interface ResourceDecl {
  readonly place: Place;
  readonly accept?: List<AcceptanceDecl>;
  readonly tenant?: Located<string> | undefined;
  readonly wireName?: Located<string> | undefined;
  readonly deadLetter?: DeadLetterDecl | undefined;
}

/** The resources of one kind on a broker, by name. */
export type Resources = readonly [kind: ThingKind, items: Items<ResourceDecl> | undefined];

/** How an AMQP 0-9-1 exchange routes (§3.1.3). */
export type ExchangeType = 'direct' | 'fanout' | 'topic' | 'headers';

/** Finds what addresses mean. */
export interface Finder {
  /** @returns the node that an address means, or '' where it means none */
  id(address: Located<string> | undefined, kinds: readonly ThingKind[]): string;
  /** @returns how an exchange routes, by its node id */
  exchangeType(id: string): ExchangeType;
}

/** Is told what a declaration names; nothing where it names nothing there. */
export interface Told {
  /** @param kinds what may stand there */
  address(value: Located<string> | undefined, kinds: readonly ThingKind[]): void;
  id(value: Located<string> | undefined, kind: 'app' | 'tenant' | 'link'): void;
}

/** Declarations of one sort on a broker that name something. */
export interface Naming {
  readonly sort: string;
  readonly owners: Owners | undefined;
  /** Tells what one of them names. */
  readonly names: (owner: never, told: Told) => void;
  /** The addresses may name nothing but what is on their own broker. */
  readonly stays?: true;
}

/** Something declared that such a broker would not make. */
export interface Refusal {
  /** In words, to follow the thing's address and a colon. */
  readonly why: string;
  readonly place: Place;
  /** Settings of which taking any one out would mend it. */
  readonly without?: readonly string[];
}

/** Something declared that cannot be told to such a broker, as a sentence. */
export interface Unsayable {
  readonly message: string;
  readonly place: Place;
}

/** Declarations of one sort on a broker that each make a way, or none. */
export interface Routes {
  readonly sort: string;
  readonly owners: Owners | undefined;
  /** @param of an entry of the map, or an item of the list */
  readonly way: (broker: string, of: never, find: Finder) => DeclaredWay | undefined;
}

/** A kind of broker. @typeParam D what is declared of one */
export interface BrokerKind<D> {
  /** As people call it. */
  readonly title: string;
  /** Everything that is declared on it by name, by kind of resource. */
  resources(decl: D): readonly Resources[];
  /** The kind of resource that gives messages on to queues, and how each does where there are several ways. */
  readonly feed: ThingKind;
  feeds(decl: D): readonly { readonly name: string; readonly type: string }[];
  /** In what the condition of what they give to a queue is written, for people. */
  readonly condition: string;
  /** @returns how one of those routes, where they do it otherwise than each other */
  typeOf(decl: D, feed: string): ExchangeType | undefined;
  /** Where its exchanges say that what nothing matched goes, as it is written. */
  unroutedTo(decl: D): readonly string[];
  /** What its dead letters may be addressed to. */
  readonly deadLetters: readonly ThingKind[];
  /** What declares the ways of its messages, besides aliases and dead letters, in their order. */
  routes(decl: D): readonly Routes[];
  /** What its declarations name, but for aliases and queues. */
  names(decl: D): readonly Naming[];
  /** The declarations without a name of their own that may be accepted to stand as they are. */
  unnamed(decl: D): readonly Pick<ResourceDecl, 'place' | 'accept'>[];
  /** The exchange that MQTT publishers and takers meet. */
  mqttExchange(decl: D): Located<string> | undefined;
  /** Whether a message addressed to a queue has the queue's name for its key from then on. */
  readonly queueNameIsKey: boolean;
  /** Whether what feeds a queue needs permission of its own to publish there. */
  readonly feedsNeedPermission: boolean;
  /** Whether a queue can be declared once for each instance of an app. */
  readonly queuePerInstance: boolean;
  /** Whether order within a group is kept however many take from a store. */
  readonly ordersByGroup: boolean;
  /** @returns the edit that lets a queue be fed with what meets a condition, written as the kind writes it */
  feedQueue(
    placed: Placed,
    at: { readonly broker: string; readonly decl: D; readonly queue: string; readonly from: string },
    condition: string | undefined,
  ): Edited;
  /** What of a resource a real one refuses; none where that is not known. */
  refused(node: GraphNode): readonly Refusal[];
  /** What of a resource cannot be told to a real one. */
  unsayable(node: GraphNode): readonly Unsayable[];
  /** The same of a declaration without a name of its own. */
  unsayableOf(unnamed: object): readonly Unsayable[];
}
