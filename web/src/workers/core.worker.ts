/** The worker that holds the current Topology; the main thread asks it questions and draws. */
import {
  allowNeeds,
  answerInWords,
  askAccess,
  ifControlled,
  needsOfRoute,
  sampleToWrite,
  usageOf,
  whyNot,
  writeCondition,
  type Question,
} from '@vondle/core/analysis';
import {
  addressOf,
  declarationOf,
  readTopology,
  type Finding,
  type Severity,
  type Topology,
} from '@vondle/core/topology';
import {
  acceptFinding,
  addItem,
  expectationToWrite,
  mendAll,
  rename,
  takeIn,
  type Differing,
} from '@vondle/core/change';
import { buildGraph, type DeadLetterReason, type RoutingGraph } from '@vondle/core/routing';
import {
  asLines,
  changeSetting,
  completionsAt,
  lineOn,
  symbolAt,
  usesOf,
  keyAt,
  keyInWords,
  type Completions,
} from '@vondle/core/assist';
import type { FormKind, Order, TableKind } from '@vondle/core/assist/forms';
import type { Edited, TextDocument, TextEdit } from '@vondle/core/base';
import type { Message } from '@vondle/core/conditions';
import * as Comlink from 'comlink';
import {
  labelReach,
  labels,
  matrixOf,
  matrixText,
  missingPermission,
  routePermissions,
  statementsOf,
} from './access.ts';
import { draw } from './drawing.ts';
import { closeUpOf, conditionOn, thingOf } from './close-up.ts';
import {
  acceptedViews,
  baselineOf,
  curedSince,
  checkViews,
  findAgain,
  findingViews,
  mendView,
  proofViews,
} from './findings.ts';
import { follow, followGivenUp, followKept, litBefore, tracesOf } from './follow.ts';
import { Workspace } from './workspace.ts';
import { Many } from './many.ts';
import { messagesOf, Outline } from './outline.ts';
import type { AllMessages } from './all-messages.ts';
import type { Tables, Trying } from './forms.ts';
import { patternsFor } from './patterns.ts';
import { PROTOCOL } from './protocol.ts';
import type {
  AcceptedView,
  Analysis,
  AttemptView,
  BetweenView,
  CheckView,
  ClassRow,
  CloseUp,
  ComparedView,
  ConditionView,
  CoverageView,
  DifferenceView,
  DistinctionView,
  Drawing,
  Edits,
  EnvironmentsView,
  FileView,
  FindingView,
  FollowView,
  TakenInView,
  FormView,
  KeptView,
  LabelView,
  Layout,
  Lists,
  MatrixView,
  MendView,
  MergedView,
  ManyRow,
  ManyView,
  NamedView,
  NeedView,
  OutlineGroup,
  Proofs,
  Reaching,
  RouteView,
  Sending,
  Showing,
  Spot,
  StandingOut,
  StatementView,
  TableAsked,
  TableView,
  Troubles,
  TypeCoverage,
  WhyNotView,
} from './views.ts';

const workspace = new Workspace();
const many = new Many(() => workspace.graph);
/** Forms and tables, which are loaded when one is first opened. */
const written = () => import('./forms.ts');
const made: { trying?: Trying; tables?: Tables; allMessages?: AllMessages } = {};
const trying = async () => (made.trying ??= new (await written()).Trying(workspace));
const tables = async () => (made.tables ??= new (await written()).Tables(workspace));
/** All messages at once are looked at in a view of their own, and when two states are compared. */
const allMessages = async () => {
  const { AllMessages } = await import('./all-messages.ts');
  return (made.allMessages ??= new AllMessages(
    () => workspace.graph,
    () => base,
  ));
};
const WEIGHT: Record<Severity, number> = { error: 3, warning: 2, advice: 1 };

/** What the draft is compared with. */
let base: RoutingGraph | undefined;
let findings: FindingView[] = [];
/** The findings of the revision the draft began from. */
let baseline: ReturnType<typeof baselineOf> | undefined;
/** The documents of that revision. */
let began: TextDocument[] | undefined;
let troubles = new Map<string, Troubles>();
/** Where everything stands on the screen. */
let laidOut: Layout | undefined;
/** What was told last, to tell only what is new. */
let told = { messages: '', drawing: '' };
const outline = new Outline();
let toldGroups: readonly OutlineGroup[] = [];
/** What the message types told last were made of. */
let toldMessages: readonly unknown[] = [];

/** More findings than this are counted, not listed: nobody reads them, and they cost on every key stroke. */
const MOST_FINDINGS = 500;

/** What is wrong with each thing, counted, and how much the worst of it weighs. */
function troublesOf(all: readonly Finding[]): Map<string, Troubles> {
  const found = new Map<string, Troubles>();
  for (const { about, also, severity } of all) {
    // an app that sends and takes is two nodes, and one thing
    const ids = [about, ...(also ?? [])].flatMap((id) =>
      id ? [id, id.replace(/^(?:publisher|taker):/, 'app:')] : [],
    );
    for (const id of new Set(ids)) {
      const before = found.get(id);
      const heavier = before && WEIGHT[before.worst] >= WEIGHT[severity];
      found.set(id, { worst: heavier ? before.worst : severity, findings: (before?.findings ?? 0) + 1 });
    }
  }
  return found;
}

/** The numbers of findings by all they say, so that each is sent, and drawn, once. */
let numbers = new Map<string, number>();
let lastNumber = 0;

function toldBefore(views: readonly FindingView[]): Pick<Analysis, 'findings' | 'news'> {
  const known = numbers;
  numbers = new Map();
  const news: Analysis['news'] = [];
  const all = views.map((view) => {
    const sign = JSON.stringify(view);
    let at = known.get(sign);
    if (at === undefined) {
      at = numbers.get(sign) ?? ++lastNumber;
      news.push({ at, view });
    }
    numbers.set(sign, at);
    return at;
  });
  return { findings: all, news };
}

/** The value where it differs from what was told before. */
function news<T>(what: keyof typeof told, value: T, sign = JSON.stringify(value)): T | undefined {
  if (told[what] === sign) return undefined;
  told = { ...told, [what]: sign };
  return value;
}

/** Where something stood before; itself, if it did not. */
function numberOr<T>(value: T, before: readonly T[]): T | number {
  const at = before.indexOf(value);
  return at < 0 ? value : at;
}

/** What is said of the documents as they are held now. */
function analysis(): Analysis {
  const { graph } = workspace;
  troubles = troublesOf(workspace.findings);
  findings = findingViews(workspace, workspace.findings.slice(0, MOST_FINDINGS), baseline);
  const counts = { error: 0, warning: 0, advice: 0 };
  for (const { severity } of workspace.findings) counts[severity]++;
  return {
    name: graph.topology.name,
    environments: environmentsOf(graph.topology),
    has: hasOf(graph.topology),
    empty: isEmpty(graph.topology),
    ...toldBefore(findings),
    counts,
  };
}

/** Whether nothing is declared yet that could be right or wrong. */
const isEmpty = ({ declared, findings }: Topology): boolean =>
  findings.length === 0 && [declared.brokers, declared.apps, declared.messages].every((all) => !all?.size);

function hasOf({ declared, messages }: Topology): Analysis['has'] {
  let publishes = 0;
  for (const { value } of declared.apps?.values() ?? []) publishes += value.publishes?.items.length ?? 0;
  const { brokers, apps } = declared;
  return { brokers: brokers?.size ?? 0, messages: messages.size, apps: apps?.size ?? 0, publishes };
}

function environmentsOf({ declared, environment }: Topology): EnvironmentsView {
  const values =
    environment === undefined ? undefined : declared.environments?.get(environment)?.value.values;
  const parameters = [...(declared.parameters ?? [])].flatMap(([name, { value }]): [string, string][] => {
    const set = values?.get(name)?.value ?? value.default;
    return set ? [[name, String(set.value)]] : [];
  });
  return { names: [...(declared.environments?.keys() ?? [])], parameters: Object.fromEntries(parameters) };
}

const worker = {
  /** Which version of the protocol is spoken here. */
  protocol: (): number => PROTOCOL,

  /**
   * Takes changed documents in; everything asked afterwards is about them.
   * @param names all documents there are, in order
   */
  async analyse(changed: TextDocument[], names: string[]): Promise<Analysis> {
    await patternsFor(() => changed);
    workspace.take(changed, names);
    return analysis();
  },

  /** Takes edits of the documents in, their offsets those of the documents held. */
  async change(edits: TextEdit[]): Promise<Analysis> {
    await patternsFor(() => workspace.after(edits));
    workspace.change(edits);
    return analysis();
  },

  /** Looks at everything as it is in an environment; with '' as it is in none. */
  lookIn(environment: string): Analysis {
    workspace.lookIn(environment);
    baseline = began && baselineOf(began, workspace.options);
    return analysis();
  },

  /** Tries every expectation out. */
  prove(): Proofs {
    const broken = workspace.prove();
    const views = findingViews(workspace, broken, baseline);
    // broken promises show where they break, in the lists and in the picture
    if (broken.length) troubles = troublesOf(workspace.findings);
    findings = [...findings.filter(({ check }) => !check.startsWith('expectation/')), ...views];
    return { proofs: proofViews(workspace), findings: views };
  },

  /** Takes the documents that the draft began from, to tell what it adds and cures. */
  async beginFrom(documents: TextDocument[] | undefined): Promise<void> {
    await patternsFor(() => documents ?? []);
    began = documents;
    baseline = documents && baselineOf(documents, workspace.options);
  },
  /** What was wrong in the draft's base and is not any more. */
  cured(): { check: string; message: string; severity: Severity }[] {
    if (!baseline) return [];
    return curedSince(baseline, workspace).map(({ check, severity, message }) => ({
      check,
      severity,
      message,
    }));
  },
  accepted: (): AcceptedView[] => acceptedViews(workspace),
  checks: (): CheckView[] => checkViews(),

  /** A mend of a finding, worked out and tried: what it changes, cures and brings. */
  mend: (finding: string, index: number): MendView => mendView(workspace, finding, index),
  /** The edits that mend every finding of one check, as far as they can be. */
  mendAll(check: string): { edits: Edits; mended: number; left: number } {
    const { edits: all, mended, left } = mendAll(workspace.documents, { check });
    const edits: Edits = mended
      ? { ok: true, edits: all.map((edit) => ({ ...edit })) }
      : { ok: false, message: 'None of these can be mended by itself.' };
    return { edits, mended, left };
  },
  /** The edits that say that a finding is meant. */
  accept(id: string, because: string): Edits {
    const finding = findAgain(workspace, id);
    return finding
      ? plain(acceptFinding(workspace.graph.topology, finding, because))
      : { ok: false, message: 'This finding is no longer there.' };
  },

  matrix: (broker: string): MatrixView => matrixOf(workspace, broker),
  /** What an open broker would need if it were controlled, and the edits that do it. */
  ifControlled(broker: string): { missing: string[]; edits: Edits } {
    const { missing, edited } = ifControlled(workspace.graph.topology, broker);
    return { missing: [...missing], edits: plain(edited) };
  },
  matrixText: (): Promise<string> => matrixText(workspace),
  missingPermission: (): NeedView[] => missingPermission(workspace),
  routePermissions: (app: string, type: string): NeedView[] => routePermissions(workspace, app, type),
  /** The edits that give the narrowest permission that a route lacks; without a route, all that is missing. */
  allow(route?: { app: string; type: string }): Edits {
    const { graph } = workspace;
    const needs = route ? needsOfRoute(graph, route.app, route.type) : usageOf(graph).unmet;
    return plain(allowNeeds(graph.topology, graph, needs));
  },
  statements: (): StatementView[] => statementsOf(workspace),
  labels: (): string[] => labels(workspace),
  labelReach: (label: string): LabelView[] => labelReach(workspace, label),
  /** Whether somebody may do something, in a sentence. */
  ask(question: Question): { allowed?: boolean; words: string; spot?: Spot } {
    const answer = askAccess(workspace.graph, question);
    if (!answer.ok) return { words: answer.message };
    const { decision, on } = answer;
    return {
      allowed: decision.allowed,
      words: answerInWords({ ...question, on: addressOf(on) }, decision),
      ...workspace.spotIf(decision.place),
    };
  },

  /** What is declared, as lists, where they are not what was told last. */
  lists(): Lists {
    const groups = outline.of(workspace.graph, troubles);
    const before = toldGroups;
    toldGroups = groups;
    const same = groups.length === before.length && groups.every((group, i) => group === before[i]);
    const { messages: types, declared } = workspace.graph.topology;
    const of = [types, declared.apps, declared.samples];
    const stays = toldMessages.length > 0 && of.every((each, i) => each === toldMessages[i]);
    toldMessages = of;
    const messages = stays ? undefined : news('messages', messagesOf(workspace.graph));
    return {
      ...(same ? {} : { outline: groups.map((group) => numberOr(group, before)) }),
      ...(messages ? { messages } : {}),
    };
  },

  /** Takes the documents of the revision that the draft is compared with; none to compare with nothing. */
  async compareWith(documents: TextDocument[] | undefined): Promise<void> {
    await patternsFor(() => documents ?? []);
    base = documents && buildGraph(readTopology(documents, workspace.options));
  },

  /** All messages of some more publishes by what becomes of them: asked again until all are told. */
  coverage: async (): Promise<CoverageView> => (await allMessages()).more(),
  coverageOf: async (type: string): Promise<TypeCoverage> => (await allMessages()).ofType(type),
  classRows: async (publish: string, group: string, from: number): Promise<ClassRow[]> =>
    (await allMessages()).rowsOf(publish, group, from),
  reaching: async (store: string): Promise<Reaching> => (await allMessages()).reaching(store),
  standingOut: async (): Promise<StandingOut> => (await allMessages()).standingOut(),
  stores: async (): Promise<string[]> => (await allMessages()).stores(),
  distinguish: async (publish: string, first: number, second: number): Promise<DistinctionView> =>
    (await allMessages()).distinguish(publish, first, second),
  coverageAs: async (format: 'csv' | 'markdown', type: string): Promise<string> =>
    (await allMessages()).as(format, type),
  /** What becomes otherwise of messages than in what the draft is compared with: asked again until all is compared. */
  differing: async (): Promise<DifferenceView> => (await allMessages()).differing(),

  /** What differs between two states that are not the draft. */
  async between(before: TextDocument[], after: TextDocument[]): Promise<BetweenView> {
    await patternsFor(() => [...before, ...after]);
    return (await import('./all-messages.ts')).between(before, after);
  },

  /** Two states compared whole, neither of them the draft as it is here. */
  async compared(
    before: TextDocument[],
    after: TextDocument[],
    environment: string,
    names: { from: string; to: string },
  ): Promise<ComparedView> {
    await patternsFor(() => [...before, ...after]);
    return (await import('./comparison.ts')).compared(before, after, environment, names);
  },

  /** What becomes of messages in each of them, side by side. */
  async routesBetween(before: TextDocument[], after: TextDocument[]): Promise<RouteView[]> {
    await patternsFor(() => [...before, ...after]);
    return (await import('./comparison.ts')).routesBetween(before, after);
  },

  /** Two changes of the same documents put together: see `merged` in merging.ts. */
  async merge(
    before: TextDocument[],
    mine: TextDocument[],
    theirs: TextDocument[],
    choices: [id: string, side: 'mine' | 'theirs'][],
  ): Promise<MergedView> {
    return (await import('./merging.ts')).merged(before, mine, theirs, choices);
  },

  /** The graph and where everything stands, if that is not what was told last. */
  drawing(showing: Showing): Drawing | undefined {
    const drawn = draw(workspace.graph, base, troubles, showing, laidOut);
    laidOut = drawn.layout;
    return news('drawing', drawn);
  },

  /** The graph as other programs read it. */
  graphAs: async (format: 'dot' | 'graphml'): Promise<string> => {
    // few ever ask, and nobody at first
    const { toDot, toGraphml } = await import('@vondle/core/formats/graph');
    return format === 'dot' ? toDot(workspace.graph) : toGraphml(workspace.graph);
  },

  /** Follows one message from every place it is sent to. */
  follow: (sendings: Sending[]): FollowView => follow(workspace, sendings),

  /** What a message would light up in what the draft is compared with. */
  followBefore: (message: Message, app: string): FollowView['lit'] | undefined =>
    base && litBefore(base, message, app),

  /** Follows a copy on that its store gives up. */
  followGivenUp: (node: string, message: Message, reason: DeadLetterReason): FollowView =>
    followGivenUp(workspace, node, message, reason),

  /** Every kept sample, and what becomes of it now against what the draft is compared with. */
  kept: (): KeptView[] => followKept(workspace, base),

  /** The edits that keep a message with the topology. */
  keep: (message: Message, as: { name: string; group?: string; from?: string }): Edits =>
    plain(
      addItem(workspace.graph.topology, ['samples'], sampleToWrite(workspace.graph.topology, message, as)),
    ),

  /** The edits that make what a message does now a promise. */
  expect(sendings: Sending[], name: string): Edits {
    const [first] = sendings;
    if (!first) return { ok: false, message: 'There is no message to make a promise of.' };
    const traces = tracesOf(workspace.graph, sendings).map(({ trace }) => trace);
    const item = expectationToWrite(workspace.graph, first.message, traces, name, first.from || undefined);
    return plain(addItem(workspace.graph.topology, ['expectations'], item));
  },

  /** Takes a file of messages in, to be followed by `manyOfFile`. */
  takeMessages: (text: string): FileView => many.take(text),
  manyOfFile: (tell: (so: ManyView) => void): Promise<ManyView> => many.fromFile(tell),
  manyTimes: (
    sendings: Sending[],
    count: number,
    vary: boolean,
    tell: (so: ManyView) => void,
  ): Promise<ManyView> => many.repeat(sendings, count, vary, tell),
  stopMany: (): void => many.stop(),
  manyRows: (from: number, to: number): ManyRow[] => many.rows(from, to),
  manyAs: (format: 'csv' | 'ndjson'): Promise<Blob> => many.as(format),

  /** Why a message does not reach a store: asked for each place it is sent to from which a way leads there. */
  whyNot(sendings: Sending[], store: string): WhyNotView[] {
    const found = sendings.map(({ message, to, via, from }) => {
      const result = whyNot(
        workspace.graph,
        message,
        { to, ...(via === 'mqtt' ? { via } : {}), ...(from ? { from: `app:${from}` } : {}) },
        store,
      );
      return { to, result };
    });
    // a way that fails somewhere says more than no way at all
    const ways = found.filter(({ result }) => result.reached || result.branch.length > 0);
    return (ways.length ? ways : found).map(({ to, result }) => ({
      reached: result.reached,
      to,
      text: result.failed?.text ?? '',
      ...workspace.spotIf(result.failed?.place),
      changes: result.changes.map((change) =>
        change.of === 'message'
          ? { ...change }
          : { of: change.of, title: change.title, edits: change.edits.map((edit) => ({ ...edit })) },
      ),
    }));
  },

  /** A way's condition, as it stands or as asked about, and the samples that come to it. */
  condition: (node: string, edge: string, asked?: string): ConditionView | undefined =>
    conditionOn(workspace.graph, node, edge, asked),

  /** The edits that write a way's condition. */
  writeCondition(node: string, edge: string, text: string): Edits {
    const way = workspace.graph.out.get(node)?.find(({ id }) => id === edge);
    return way
      ? plain(writeCondition(workspace.graph, way, text))
      : { ok: false, message: 'This way is no longer there.' };
  },

  /** What can be declared by a form. */
  formKinds: async () => (await written()).formKinds(workspace),
  /** The form of a kind, on a broker or app. */
  form: async (kind: FormKind, on: string): Promise<FormView> =>
    (await written()).formView(workspace, kind, on),
  /** A form that is filled in: the text it becomes, and what that would do. */
  async attempt(order: Order, permits: boolean): Promise<AttemptView> {
    await patternsFor(() => [{ text: JSON.stringify(order) }]);
    return (await trying()).attempt(order, permits);
  },

  tableSizes: async () => (await tables()).sizes(),
  table: async (asked: TableAsked): Promise<TableView> => (await tables()).view(asked),
  /** The rows that are found, all of them. */
  tableIds: async (asked: TableAsked): Promise<string[]> => (await tables()).ids(asked),
  tableText: async (asked: TableAsked): Promise<string> => (await tables()).csv(asked),
  /** The edits that state one setting in many rows. */
  changeCells: async (kind: TableKind, rows: string[], column: string, text: string): Promise<Edits> =>
    (await tables()).change(kind, rows, column, text),

  /** Everything about one thing. */
  closeUp: (id: string): CloseUp | undefined => closeUpOf(workspace, id, findings),

  /** The thing whose declaration an offset stands in: the last one that begins before it. */
  thingAt(doc: string, offset: number): string | undefined {
    return workspace.lastBefore(doc, offset);
  },

  /** Where a thing is declared. */
  whereIs(id: string): Spot | undefined {
    const place =
      declarationOf(workspace.graph.topology, thingOf(id)) ?? workspace.graph.nodes.get(id)?.place;
    return place && workspace.spot(place);
  },

  /** What may be written at an offset of a document as it is now, which may be newer than what was analysed. */
  complete: (text: string, offset: number): Completions | undefined =>
    completionsAt(workspace.graph.topology, text, offset),

  /** The name at an offset: what it stands for, in a line, and where it is declared and used. */
  nameAt(doc: string, offset: number): NamedView | undefined {
    const { topology } = workspace.graph;
    const found = symbolAt(topology, doc, offset);
    if (!found) return undefined;
    const { thing: of, place, declares } = found;
    return {
      id: of.id,
      name: of.name,
      start: workspace.spot(place).start,
      end: workspace.spot(place).end,
      declares,
      line: lineOn(workspace.graph, of),
      ...workspace.spotIf(declarationOf(topology, of)),
      uses: usesOf(topology, of).map((use) => workspace.spot(use)),
    };
  },

  /** The key of the language at an offset, and what it says, in Markdown. */
  keyAt(
    doc: string,
    offset: number,
  ): { name: string; start: number; end: number; words: string } | undefined {
    const key = keyAt(workspace.graph.topology, doc, offset);
    return key && { name: key.name, start: key.start, end: key.end, words: keyInWords(key) };
  },

  /** Every place that names a thing. */
  usesOf: (id: string): Spot[] =>
    usesOf(workspace.graph.topology, thingOf(id)).map((place) => workspace.spot(place)),

  /** The edits after which the draft says what a broker has otherwise than was applied there. */
  takeIn(environment: string, broker: string, differences: Differing[]): TakenInView {
    const { edits: all, taken, left } = takeIn(workspace.documents, environment, broker, differences);
    const edits: Edits = { ok: true, edits: all.map((edit) => ({ ...edit })) };
    return { edits, taken, left: left.map((each) => ({ ...each })) };
  },

  /** The edits that give a thing another name everywhere. */
  rename: (id: string, name: string) => plain(rename(workspace.graph.topology, thingOf(id), name)),

  /** The edits that write what stands between brackets on lines of its own. */
  asLines: (doc: string, offset: number): Edits => plain(asLines(workspace.graph.topology, doc, offset)),

  /** The edits that state a setting, or with empty words take it away. */
  changeSetting: (id: string, name: string, written: string) =>
    plain(changeSetting(workspace.graph.topology, thingOf(id), name, written)),
};

function plain(edited: Edited): Edits {
  return edited.ok ? { ok: true, edits: edited.edits.map((edit) => ({ ...edit })) } : edited;
}

export type CoreWorker = typeof worker;
Comlink.expose(worker);
