import { type ChangeSet, type TextDocument, applyEdits } from '../base/edits.ts';
import { Lines, type Position } from '../base/span.ts';
import { Layered, differing, sharesKeys } from '../incremental/layered.ts';
import { Memory, Question, remembered } from '../incremental/memory.ts';
import type { MessageTypeDecl } from '../language/message.ts';
import { type Fragment, Reading } from '../language/reading.ts';
import type { Items } from '../language/shape.ts';
import type { Wholes } from '../incremental/pieces.ts';
import { parseAgain } from '../syntax/parse-again.ts';
import { parseDocument } from '../syntax/parse.ts';
import { type Place, type Trees, spanOf } from '../syntax/place.ts';
import { type Node, type Tree, entryOf, isNothing, keyText, toJson } from '../syntax/tree.ts';
import { namesIn } from './address.ts';
import { type DocumentDecl, document } from './document.ts';
import { type MessageType, resolveMessages } from './messages.ts';
import { checkReferences } from './references.ts';
import { type Schemas, isSchemaDocument } from './schemas.ts';
import type { Finding, Topology } from './topology.ts';

export interface ReadOptions {
  /** The environment whose parameter values count. */
  readonly environment?: string;
}

const SCHEMAS = new Question<Schemas>('schemas in documents of their own');

/** A document longer than this is refused unread, so that reading stays bounded in time and memory. */
export const LONGEST_DOCUMENT = 16 * 1024 * 1024;

/** Of the documents of one topology no more than this is read together. */
export const LONGEST_TOGETHER = 32 * 1024 * 1024;

/** @returns the documents that are read: none that is too long, and as many as are not too long together */
function readable(documents: readonly TextDocument[]): ReadonlySet<TextDocument> {
  let room = LONGEST_TOGETHER;
  const found = new Set<TextDocument>();
  for (const each of documents) {
    if (each.text.length > LONGEST_DOCUMENT || each.text.length > room) continue;
    room -= each.text.length;
    found.add(each);
  }
  return found;
}

/**
 * Reads topology documents. Never throws: whatever is wrong is a finding with its place, and what
 * is right beside it is still read.
 *
 * @param documents the files, in an order that decides which of two declarations is the first
 * @returns the Topology; its findings are in document order
 */
export function readTopology(documents: readonly TextDocument[], options: ReadOptions = {}): Topology {
  return new TopologyReader().read(documents, options);
}

/**
 * Reads the documents of one topology again and again while they are being edited. What an edit did not
 * touch stays the same objects; a Topology read earlier stays what it is.
 */
export class TopologyReader {
  private documents: readonly TextDocument[] = [];
  private trees: Trees = new Map();
  private parameters: ReadonlyMap<string, string> = new Map();
  private wholes: Wholes<Fragment> = new Map();
  private readonly memory = new Memory();
  private messages:
    | {
        readonly declared: Items<MessageTypeDecl>;
        readonly schemas: Schemas;
        readonly types: ReadonlyMap<string, MessageType>;
      }
    | undefined;

  /** As `readTopology`; a document whose text is what it was is not read again. */
  read(documents: readonly TextDocument[], options: ReadOptions = {}): Topology {
    const trees = new Map<string, Tree>();
    for (const { name, text } of readable(documents)) {
      if (trees.has(name)) continue;
      const before = this.trees.get(name);
      trees.set(name, before?.text === text ? before : parseDocument(text));
    }
    return this.take(documents, trees, options);
  }

  /**
   * Reads the topology after a change; costs what the change makes necessary.
   * @param edits their offsets are those of the documents read last
   */
  change(edits: ChangeSet, options: ReadOptions = {}): Topology {
    const documents = applyEdits(this.documents, edits);
    const trees = new Map(this.trees);
    const within = readable(documents);
    const edited = new Set(edits.map(({ doc }) => doc));
    for (const each of documents) {
      const { name, text } = each;
      const before = trees.get(name);
      // what grows may leave no room for others, and what shrinks makes some
      if (!within.has(each)) trees.delete(name);
      else if (!before) trees.set(name, parseDocument(text));
      else if (edited.has(name))
        trees.set(
          name,
          parseAgain(
            before,
            edits.filter(({ doc }) => doc === name),
          ),
        );
    }
    return this.take(documents, trees, options);
  }

  private take(documents: readonly TextDocument[], trees: Trees, options: ReadOptions): Topology {
    const findings: Finding[] = [];
    const fragments: Fragment[] = [];
    this.documents = documents;
    this.trees = trees;
    const within = readable(documents);
    for (const each of documents) {
      if (within.has(each)) continue;
      const mib = (length: number) => `${Math.round(length / 1024 / 1024)} MiB`;
      findings.push({
        check: 'language/too-large',
        severity: 'error',
        message:
          each.text.length > LONGEST_DOCUMENT
            ? `This document is ${mib(each.text.length)} long; at most ${mib(LONGEST_DOCUMENT)} are read. Split it.`
            : `The documents before this one leave no room for it: at most ${mib(LONGEST_TOGETHER)} are read together. Make two topologies of them.`,
        place: { doc: each.name, from: 0, to: 1 },
      });
    }
    for (const [name, { root, problems }] of trees) {
      for (const { message, start, end } of problems)
        findings.push({
          check: 'language/syntax',
          severity: 'error',
          place: { doc: name, from: start, to: Math.max(end, start + 1) },
          ...unquoted(
            documents.find((each) => each.name === name)!,
            start,
            message,
          ),
        });
      if (root && !isNothing(root) && !isSchemaDocument(name)) fragments.push({ doc: name, node: root });
    }

    const parameters = parameterValues(fragments, options.environment);
    if (!sameValues(parameters, this.parameters)) this.parameters = parameters;
    const reading = new Reading(this.parameters, this.wholes);
    this.wholes = reading.wholes;
    const declared: DocumentDecl = document.merge!(fragments, reading) ?? {
      place: { doc: documents[0]?.name ?? '', from: 0, to: 0 },
    };
    if (options.environment && !declared.environments?.has(options.environment)) {
      reading.doc = declared.place.doc;
      reading.report(
        'unknown-environment',
        { doc: declared.place.doc, from: 0, to: 1 },
        `There is no environment \`${options.environment}\`; the defaults are used.`,
      );
    }
    const messages = this.resolve(declared.messages ?? NO_MESSAGES, reading, this.schemasIn(trees));
    const names = namesIn(declared, this.memory);
    checkReferences(declared, messages, names, reading, this.memory);
    // one by one: there may be more of them than a call takes arguments
    for (const finding of reading.findings) findings.push(...asWritten(finding, trees));
    const placed = { trees };
    return {
      ...placed,
      name: declared.topology?.value ?? 'topology',
      ...(options.environment ? { environment: options.environment } : {}),
      documents,
      declared,
      messages,
      names,
      memory: this.memory,
      usedParameters: new Set(reading.usedParameters),
      findings: inOrder(findings, { ...placed, documents }),
    };
  }

  /** The message types with what they inherit: the same map for the same declarations, and no findings of theirs. */
  private resolve(
    declared: Items<MessageTypeDecl>,
    reading: Reading,
    schemas: Schemas,
  ): ReadonlyMap<string, MessageType> {
    if (this.messages?.declared === declared && this.messages.schemas === schemas) return this.messages.types;
    const findings = reading.findings.length;
    const resolved = resolveMessages(declared, reading, schemas);
    const before = this.messages;
    const types =
      before && sharesKeys(before.declared, declared)
        ? Layered.on(before.types).with(
            new Map([...differing(before.types, resolved)].map((id) => [id, resolved.get(id)!])),
          )
        : resolved;
    this.messages = reading.findings.length === findings ? { declared, schemas, types } : undefined;
    return types;
  }

  /** The schemas in documents of their own: one map for as long as none of them changes. */
  private schemasIn(trees: Trees): Schemas {
    const own = [...trees].filter(([name, { root }]) => root && isSchemaDocument(name));
    return this.memory.latest(
      SCHEMAS,
      own.flatMap(([name, { root }]) => [name, root]),
      () => new Map(own.map(([name, { root }]) => [name, toJson(root!)])),
    );
  }
}

/**
 * What is said of a syntax problem at a text that begins with a sign of YAML's own (an alias, an anchor, a
 * tag, …): that it needs quotes, and the mend that writes them.
 */
function unquoted(
  { name, text }: TextDocument,
  start: number,
  message: string,
): Pick<Finding, 'message' | 'mends'> {
  const written = /^[*&@%`!][^\s,[\]{}]*/.exec(text.slice(start, start + 300))?.[0];
  // an anchor or alias that is meant is written by people who know them: only what cannot be one is told so
  if (written === undefined || !/(?:^|[\s:,[{])$/.test(text.slice(Math.max(0, start - 1), start)))
    return { message };
  const quoted = JSON.stringify(written);
  return {
    message: `\`${written}\` begins with a sign that YAML uses for itself, so it needs quotes: \`${quoted}\`.`,
    mends: [
      {
        title: `Write \`${quoted}\``,
        edit: () => ({
          ok: true,
          edits: [{ doc: name, start, end: start + written.length, text: quoted }],
        }),
      },
    ],
  };
}

/**
 * A finding that nothing stands where something must, told by what does stand there: a `#` that was meant as a
 * word is a comment to YAML; a word that begins with one of YAML's own signs is told as such already.
 */
function asWritten(finding: Finding, trees: Trees): Finding[] {
  const { place, check } = finding;
  const tree = trees.get(place.doc);
  if (check !== 'language/wrong-type' || !tree || place.node?.kind !== 'scalar' || place.node.length > 0)
    return [finding];
  const { start } = spanOf({ trees }, place);
  if (tree.problems.some((problem) => problem.start === start)) return [];
  const comment = /^[ \t]*(#\S*)/.exec(tree.text.slice(start, start + 300));
  if (!comment) return [finding];
  const quoted = JSON.stringify(comment[1]);
  const from = start + comment[0].length - comment[1]!.length;
  return [
    {
      ...finding,
      message: `${finding.message} A \`#\` begins a comment in YAML; where it is meant, put it in quotes: \`${quoted}\`.`,
      mends: [
        {
          title: `Write \`${quoted}\``,
          edit: () => ({
            ok: true,
            edits: [{ doc: place.doc, start: from, end: from + comment[1]!.length, text: quoted }],
          }),
        },
      ],
    },
  ];
}

const NO_MESSAGES: Items<MessageTypeDecl> = new Map();

function sameValues(a: ReadonlyMap<string, string>, b: ReadonlyMap<string, string>): boolean {
  return a.size === b.size && [...a].every(([name, value]) => b.get(name) === value);
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
    for (const { name, value } of parameters.entries) {
      if (!values.has(name)) set(name, entryOf(value, 'default')?.value);
    }
  }
  if (environment === undefined) return values;
  for (const { node } of fragments) {
    const given = entryOf(entryOf(entryOf(node, 'environments')?.value, environment)?.value, 'values')?.value;
    if (given?.kind === 'map') for (const { name, value } of given.entries) set(name, value);
  }
  return values;
}

/** @returns findings in the order of the text */
export function inOrder(
  findings: readonly Finding[],
  topology: Pick<Topology, 'documents' | 'trees'>,
): Finding[] {
  const rank = new Map(topology.documents.map((document, index) => [document.name, index]));
  return (
    findings
      .map((finding) => ({
        finding,
        doc: rank.get(finding.place.doc) ?? 0,
        start: startOf(finding, topology).start,
      }))
      // of several at one place always the same one comes first
      .sort((a, b) => a.doc - b.doc || a.start - b.start || (signOf(a.finding) < signOf(b.finding) ? -1 : 1))
      .map(({ finding }) => finding)
  );
}

/** Where a finding stands; it stays there while its document does. */
const startOf = remembered(
  ({ place }: Finding, topology: Pick<Topology, 'trees'>) => ({
    tree: topology.trees.get(place.doc),
    start: spanOf(topology, place).start,
  }),
  ({ tree }, { place }, { trees }) => trees.get(place.doc) === tree,
);

const signOf = ({ check, message }: Finding): string => `${check} ${message}`;

/** Tells where in its text a place is. */
export interface Locator {
  (place: Place): Position;
  /** The position behind its last character. */
  readonly end: (place: Place) => Position;
}

/** @returns what turns places into lines; line tables are made once, when first asked */
export function locator(topology: Pick<Topology, 'documents' | 'trees'>): Locator {
  const lines = new Map(topology.documents.map(({ name, text }) => [name, new Lines(text)]));
  const position = (doc: string, offset: number) =>
    lines.get(doc)?.position(offset) ?? { line: 1, column: 1 };
  return Object.assign((place: Place) => position(place.doc, spanOf(topology, place).start), {
    end: (place: Place) => position(place.doc, spanOf(topology, place).end),
  });
}
