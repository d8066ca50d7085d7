import type { Finding } from '../model/finding.ts';
import { differing, Layered, sameKeys, sharesKeys } from '../model/layered.ts';
import { Lines, type Place, type Position } from '../model/place.ts';
import { document, type DocumentDecl, type MessageTypeDecl } from './language.ts';
import { isNothing, Reading, type Fragment, type Items, type Wholes } from './shape.ts';
import { takeOverLookups } from '../model/address.ts';
import { parseAgain } from './parse-again.ts';
import { parseDocument } from './parse.ts';
import { checkReferences, doubt, type Sound } from './references.ts';
import { resolveMessages, type MessageType } from './messages.ts';
import { entryOf, keyText, type Node, type Parsed } from './tree.ts';

/** One file of a topology: its path inside the topology, and its text. */
export interface TopologyDocument {
  readonly name: string;
  readonly text: string;
}

/** What the documents declare, typed, merged and with parameters put in; every value knows its place. */
export interface Topology {
  readonly name: string;
  /** The environment whose values were put in; undefined for the defaults alone. */
  readonly environment?: string;
  readonly documents: readonly TopologyDocument[];
  readonly declared: DocumentDecl;
  /** The message types with what they inherit. */
  readonly messages: ReadonlyMap<string, MessageType>;
  /** One object for as long as the same reader finds the same things of the same names. */
  readonly names: Names;
  /** The parameters that some value is made of. */
  readonly usedParameters: ReadonlySet<string>;
  /** What is wrong with the text itself: syntax, keys, values, references. */
  readonly findings: readonly Finding[];
}

/** Stands for all names of a topology; it also knows which declarations name only what is there. */
export interface Names {
  readonly sound: Sound;
}

export interface ReadOptions {
  /** The environment whose parameter values count. */
  readonly environment?: string;
}

/** A document longer than this is refused unread, so that reading stays bounded in time and memory. */
export const LONGEST_DOCUMENT = 16 * 1024 * 1024;

/**
 * Reads topology documents. Never throws: whatever is wrong is a finding with its place, and what
 * is right beside it is still read.
 *
 * @param documents the files, in an order that decides which of two declarations is the first
 * @returns the Topology; its findings are in document order
 */
export function readTopology(documents: readonly TopologyDocument[], options: ReadOptions = {}): Topology {
  return new TopologyReader().read(documents, options);
}

interface ReadDocument {
  readonly text: string;
  readonly parsed: Parsed;
  /** Its last state that was everyday YAML: half a line being written soon becomes a whole one. */
  readonly everyday: { readonly text: string; readonly parsed: Parsed } | undefined;
}

/**
 * Reads the documents of one topology again and again while they are being edited. What an edit did not
 * touch stays the same objects, whose places move along with the text: so each Topology is of use only
 * until the next is read.
 */
export class TopologyReader {
  private documents = new Map<string, ReadDocument>();
  private parameters: ReadonlyMap<string, string> = new Map();
  private wholes: Wholes = new Map();
  private before: DocumentDecl | undefined;
  private names: Names = { sound: new WeakSet() };
  private messages:
    | { readonly declared: Items<MessageTypeDecl>; readonly types: ReadonlyMap<string, MessageType> }
    | undefined;

  /** As `readTopology`; costs what the edit since the last reading makes necessary. */
  read(documents: readonly TopologyDocument[], options: ReadOptions = {}): Topology {
    const findings: Finding[] = [];
    const fragments: Fragment[] = [];
    const known = this.documents;
    this.documents = new Map();
    for (const { name, text } of documents) {
      if (text.length > LONGEST_DOCUMENT) {
        findings.push({
          check: 'language/too-large',
          severity: 'error',
          message: `This document is ${Math.round(text.length / 1024 / 1024)} MiB long; at most ${LONGEST_DOCUMENT / 1024 / 1024} MiB are read. Split it.`,
          place: { doc: name, start: 0, end: 1 },
        });
        continue;
      }
      // of two documents of one name, each has a tree of its own
      const before = this.documents.has(name) ? undefined : known.get(name);
      const parsed = before?.text === text ? before.parsed : parseAfter(before?.everyday, text);
      const { root, problems } = parsed;
      this.documents.set(name, {
        text,
        parsed,
        everyday: parsed.everyday ? { text, parsed } : before?.everyday,
      });
      for (const problem of problems) {
        findings.push({
          check: 'language/syntax',
          severity: 'error',
          message: problem.message,
          place: { doc: name, start: problem.start, end: Math.max(problem.end, problem.start + 1) },
        });
      }
      if (root && !isNothing(root)) fragments.push({ doc: name, node: root });
    }

    const parameters = parameterValues(fragments, options.environment);
    if (!sameValues(parameters, this.parameters)) this.parameters = parameters;
    const reading = new Reading(this.parameters, this.wholes);
    this.wholes = reading.wholes;
    const declared: DocumentDecl = document.merge!(fragments, reading) ?? {
      place: { doc: documents[0]?.name ?? '', start: 0, end: 0 },
    };
    if (options.environment && !declared.environments?.has(options.environment)) {
      reading.doc = declared.place.doc;
      reading.report(
        'unknown-environment',
        { start: 0, end: 1 },
        `There is no environment \`${options.environment}\`; the defaults are used.`,
      );
    }
    const messages = this.resolve(declared.messages ?? NO_MESSAGES, reading);
    if (this.before) {
      const taken = takeOverLookups(this.before, declared);
      if (!taken || !sameIds(this.before, declared)) this.names = { sound: new WeakSet() };
      else if (!taken.sameNames) this.names = { sound: doubt(this.names.sound, declared, taken.affected) };
    }
    this.before = declared;
    checkReferences(declared, messages, reading, this.names.sound);
    // one by one: there may be more of them than a call takes arguments
    for (const finding of reading.findings) findings.push(finding);
    return {
      name: declared.topology?.value ?? 'topology',
      ...(options.environment ? { environment: options.environment } : {}),
      documents,
      declared,
      messages,
      names: this.names,
      usedParameters: new Set(reading.usedParameters),
      findings: inOrder(findings, documents),
    };
  }

  /** The message types with what they inherit: the same map for the same declarations, and no findings of theirs. */
  private resolve(declared: Items<MessageTypeDecl>, reading: Reading): ReadonlyMap<string, MessageType> {
    if (this.messages?.declared === declared) return this.messages.types;
    const findings = reading.findings.length;
    const resolved = resolveMessages(declared, reading);
    const before = this.messages;
    const types =
      before && sharesKeys(before.declared, declared)
        ? Layered.on(before.types).with(
            new Map([...differing(before.types, resolved)].map((id) => [id, resolved.get(id)!])),
          )
        : resolved;
    this.messages = reading.findings.length === findings ? { declared, types } : undefined;
    return types;
  }
}

const NO_MESSAGES: Items<MessageTypeDecl> = new Map();

function parseAfter(before: ReadDocument['everyday'], text: string): Parsed {
  return (before && parseAgain(before.parsed, before.text, text)) ?? parseDocument(text);
}

function sameValues(a: ReadonlyMap<string, string>, b: ReadonlyMap<string, string>): boolean {
  return a.size === b.size && [...a].every(([name, value]) => b.get(name) === value);
}

/** Whether everything that is named by a bare id is there on both sides. */
function sameIds(a: DocumentDecl, b: DocumentDecl): boolean {
  return (
    a.tenant?.value === b.tenant?.value &&
    sameKeys(a.messages, b.messages) &&
    sameKeys(a.apps, b.apps) &&
    sameKeys(a.tenants, b.tenants) &&
    sameKeys(a.links, b.links) &&
    sameKeys(a.spreads, b.spreads) &&
    sameKeys(a.parameters, b.parameters)
  );
}

/** The parameters' values: the environment's where it has one, else the default. Read before all else. */
function parameterValues(
  fragments: readonly Fragment[],
  environment: string | undefined,
): Map<string, string> {
  const values = new Map<string, string>();
  const set = (name: string, node: Node | undefined) => {
    if (node?.kind === 'scalar') values.set(name, keyText(node));
  };
  for (const { node } of fragments) {
    const parameters = entryOf(node, 'parameters')?.value;
    if (parameters?.kind !== 'map') continue;
    for (const { key, value } of parameters.entries) {
      if (!values.has(keyText(key))) set(keyText(key), entryOf(value, 'default')?.value);
    }
  }
  if (environment === undefined) return values;
  for (const { node } of fragments) {
    const given = entryOf(entryOf(entryOf(node, 'environments')?.value, environment)?.value, 'values')?.value;
    if (given?.kind === 'map') for (const { key, value } of given.entries) set(keyText(key), value);
  }
  return values;
}

/** @returns findings in the order of the text */
export function inOrder(findings: readonly Finding[], documents: readonly TopologyDocument[]): Finding[] {
  const rank = new Map(documents.map((document, index) => [document.name, index]));
  return [...findings].sort(
    (a, b) => (rank.get(a.place.doc) ?? 0) - (rank.get(b.place.doc) ?? 0) || a.place.start - b.place.start,
  );
}

/** Turns places into lines for one set of documents; line tables are made once, when first asked. */
export function locator(documents: readonly TopologyDocument[]): (place: Place) => Position {
  const lines = new Map(documents.map(({ name, text }) => [name, new Lines(text)]));
  return (place) => lines.get(place.doc)?.position(place.start) ?? { line: 1, column: 1 };
}

export type { Item, Items } from './shape.ts';
