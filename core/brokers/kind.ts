/** What a kind of broker is to everybody who knows no kind by name. */
import type { Edited } from '../base/edits.ts';
import type { AcceptanceDecl } from '../language/acceptance.ts';
import type { DeadLetterDecl } from '../language/dead-letter.ts';
import type { List, Items } from '../language/shape.ts';
import type { ThingKind } from '../language/thing.ts';
import type { Located, Place, Placed } from '../syntax/place.ts';
import type { DeclaredWay, Edge } from './terms.ts';

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

/** As a finder, for who makes ways: what was made of a declaration before is given again while it holds. */
export interface WayFinder extends Finder {
  /** @returns the way's edge as it was made of this declaration, where all it names is where it was */
  known(of: object): Edge | undefined;
}

/** What one declaration on a broker names: by address, and by a bare id. */
export interface Names {
  readonly owner: object;
  readonly addresses: readonly (readonly [Located<string> | undefined, readonly ThingKind[]])[];
  readonly ids?: readonly (readonly [Located<string> | undefined, 'app' | 'tenant' | 'link'])[];
  /** The addresses may name nothing but what is on its own broker. */
  readonly stays?: true;
}

/** Something declared that such a broker would not make. */
export interface Refusal {
  readonly kind: ThingKind;
  readonly name: string;
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
  /** What it is of; the broker itself where that has no name. */
  readonly of?: { readonly kind: ThingKind; readonly name: string };
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
  /** What those ways follow from: the same objects for as long as nothing of it changes. */
  routes(decl: D): readonly unknown[];
  /** The ways it declares besides aliases and dead letters of queues, in the order of the text. */
  ways(broker: string, decl: D, find: WayFinder): Iterable<DeclaredWay | Edge>;
  /**
   * @param known those that need not be told
   * @returns what its declarations name, but for aliases and queues
   */
  names(decl: D, known: (owner: object) => boolean): Iterable<Names>;
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
  /** What of the declared a real one refuses; none where that is not known. */
  refused(decl: D): readonly Refusal[];
  /** What of the declared cannot be told to a real one. */
  unsayable(decl: D): readonly Unsayable[];
}
