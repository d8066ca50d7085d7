/** What the worker tells the main thread: plain data, ready to draw. */
import type { ChangeKind } from '@vondle/core/analysis';
import type { FormKind, TableKind } from '@vondle/core/assist/forms';
import type { EdgeKind, DeadLetterReason, NodeRole, Outcome } from '@vondle/core/routing';
import type { Message } from '@vondle/core/conditions';
import type { Severity } from '@vondle/core/topology';
import type { TextDocument, TextEdit } from '@vondle/core/base';

export interface Spot {
  doc: string;
  start: number;
  end: number;
  line: number;
  column: number;
}

export interface FindingView {
  /** What it is known by, whatever its words and its offsets are. */
  id: string;
  check: string;
  severity: Severity;
  message: string;
  spot: Spot;
  about?: string;
  /** Other things it is as much about. */
  also: string[];
  /** The titles of its mends; their edits are worked out when they are asked for. */
  mends: string[];
  /** Whether the draft brings it, beside the revision it began from. */
  fresh: boolean;
  related: { spot: Spot; message: string }[];
}

/** A finding that is meant, with the reason. */
export interface AcceptedView {
  check: string;
  message: string;
  because: string;
  spot: Spot;
}

/** What a mend would change of one document, line by line. */
export interface ChangedLines {
  doc: string;
  /** The first line shown, from 1. */
  line: number;
  /** Lines that stay, go and come. */
  lines: { mark: ' ' | '−' | '+'; text: string }[];
}

/** What is known of a kind of finding. */
export interface CheckView {
  id: string;
  severity: Severity;
  finds: string;
  why: string;
}

/** A mend tried out. */
export type MendView =
  | { ok: true; edits: TextEdit[]; changes: ChangedLines[]; cures: string[]; brings: string[] }
  | { ok: false; message: string };

/** What became of one expectation. */
export interface ProofView {
  name: string;
  promise: string;
  verdict: 'kept' | 'broken' | 'untried';
  /** What the verdict rests on, in words. */
  basis: string;
  spot: Spot;
  broken?: { why: string; type: string; app: string; message: Message };
}

/** The expectations tried out, and those not kept among the findings. */
export interface Proofs {
  proofs: ProofView[];
  findings: FindingView[];
}

/** One cell of the matrix of permission. */
export interface CellView {
  who: string;
  on: string;
  action: string;
  state: 'needed' | 'missing' | 'unused';
  why: string;
  needs: { words: string; spot: Spot }[];
  spot?: Spot;
}

/** Who may do what on one broker. */
export interface MatrixView {
  /** Everybody may do everything there. */
  open: boolean;
  who: { id: string; name: string; kind: string; tenant: string }[];
  on: { id: string; name: string; kind: string; owner: string }[];
  cells: CellView[];
}

export interface NeedView {
  title: string;
  met: boolean;
  why: string;
  because: string;
  spot: Spot;
}

export interface StatementView {
  title: string;
  spot: Spot;
  /** What it allows and no route needs, in words; empty for a statement that is exactly needed. */
  beyond: string;
  uses: number;
}

export interface LabelView {
  app: string;
  tenant: string;
  store: string;
  node: string;
  types: string[];
  takes: boolean;
  allowed: boolean;
  cleared: boolean;
  why: string;
}

/** What is wrong with a thing. */
export interface Troubles {
  worst: Severity;
  findings: number;
}

export interface NodeView {
  id: string;
  role: NodeRole | 'broker';
  broker: string;
  name: string;
  /** `mainland/boards`, or the app's name. */
  address: string;
  /** The line under the name: its type and the settings that matter. */
  note: string;
  worst?: Severity;
  /** How many findings it has. */
  findings?: number;
  /** How it differs from what the draft is compared with. */
  change?: ChangeKind;
  /** How many nodes it stands for, where it is folded. */
  members?: number;
}

export interface EdgeView {
  id: string;
  /** Beside the ways of messages: what an app does because of what it takes, and what it hands on outside of brokers. */
  kind: EdgeKind | 'follows' | 'hands';
  from: string;
  to: string;
  label: string;
  change?: ChangeKind;
  /** How many ways it stands for, where they are folded. */
  count?: number;
}

export interface PublishView {
  app: string;
  to: string;
  via: string;
}

export interface MessageView {
  id: string;
  key: string;
  labels: string[];
  samples: { name: string; message: Message; kept?: true; from?: string }[];
  fields: FieldView[];
  publishes: PublishView[];
}

export interface OutlineGroup {
  title: string;
  items: ({ id: string; name: string; kind: string } & Partial<Troubles>)[];
}

export interface SettingView {
  name: string;
  about: string;
  values?: string[];
  names?: string;
  written?: string;
  from?: string[];
  spot?: Spot;
}

export interface Ways {
  count: number;
  list: { id: string; name: string; role: NodeRole; by: string; spot: Spot }[];
}

/** Everything about one thing, for the panel beside a view. */
export interface CloseUp {
  /** The graph's node, or the thing where it has none. */
  id: string;
  thing: string;
  name: string;
  title: string;
  subtitle: string;
  spot: Spot;
  settings: SettingView[];
  findings: FindingView[];
  upstream: Ways;
  downstream: Ways;
  /** The ways here that ask something of a message. */
  conditions: { edge: string; node: string; title: string }[];
  /** The message types published where a way leads here from. */
  reach: string[];
  /** What can be declared about it: a title, and the form it opens. */
  acts: {
    title: string;
    form: {
      kind: FormKind;
      on?: string;
      given: Record<string, string | string[] | Record<string, string>[]>;
    };
  }[];
}

/** A name in the text. */
export interface NamedView {
  id: string;
  name: string;
  start: number;
  end: number;
  declares: boolean;
  /** What it stands for, in a line. */
  line: string;
  /** Where that is declared. */
  spot?: Spot;
  uses: Spot[];
}

export interface Analysis {
  name: string;
  environments: EnvironmentsView;
  /** How much is declared. */
  has: { brokers: number; messages: number; apps: number; publishes: number };
  /** Whether anything is declared that could be checked. */
  empty: boolean;
  /** Each finding by number; those that were told before are the same numbers. */
  findings: number[];
  /** The findings that were not told before. */
  news: { at: number; view: FindingView }[];
  counts: Record<Severity, number>;
}

/** What is declared; left out where it is what it was. */
export interface Lists {
  /** A group that stayed is told by where it stood in the outline before. */
  outline?: (OutlineGroup | number)[];
  messages?: MessageView[];
}

/** What of the graph is drawn. */
export interface Showing {
  /** The brokers drawn as one plate. */
  folded: string[];
  /** Only what is around this node, where it is not empty. */
  near: string;
  depth: number;
  /** Only these and what is next to them, where there are any. */
  only: string[];
  /** How wide the drawing may be without being made smaller. */
  room: number;
  /** Whether what was removed since the revision compared with is drawn too. */
  compared: boolean;
  /** Whether what did not change is drawn in full too, where it is compared. */
  unchanged: boolean;
  /** What the followed message passes: it does not fold away as unchanged. */
  way: string[];
}

export interface ChangeView {
  kind: ChangeKind;
  of: 'node' | 'edge' | 'access';
  id: string;
  text: string;
  /** The node to look at for it. */
  at: string;
}

/** The graph, ready to draw. */
export interface Drawing {
  nodes: NodeView[];
  edges: EdgeView[];
  layout: Layout;
  changes: ChangeView[];
  /** How many nodes there are in all. */
  whole: number;
}

export interface PlacedNode {
  id: string;
  x: number;
  y: number;
}

export interface PlacedEdge {
  id: string;
  points: { x: number; y: number }[];
  label?: { x: number; y: number; text: string };
}

export interface Band {
  broker: string;
  kind: string;
  x: number;
  y: number;
  width: number;
  height: number;
}

export interface Layout {
  width: number;
  height: number;
  plate: { width: number; height: number };
  bands: Band[];
  lanes: { title: string; x: number }[];
  nodes: PlacedNode[];
  edges: PlacedEdge[];
}

export interface MissView {
  to: string;
  name: string;
  text: string;
  spot: Spot;
}

export interface HopView {
  node: string;
  name: string;
  role: NodeRole | '';
  why: string;
  spot?: Spot;
  copies: number;
  latency: number;
  again: boolean;
  /** Its copies go on with others that came here alike. */
  joins: boolean;
  note?: string;
  takers: string[];
  end?: { outcome: Outcome; why: string; spot?: Spot };
  /** The first ways that were not taken from here, and how many there are. */
  misses: MissView[];
  missed: number;
  next: HopView[];
  /** How many hops follow that are not told: a ladder of thousands is read by nobody. */
  left: number;
}

/** A message followed from where it is sent. */
export interface FollowView {
  /** What in the message is not as its type says. */
  remarks: string[];
  entries: { to: string; via: string; from: string; hop: HopView }[];
  /** What apps do because of it, each with what follows from it behind it. */
  then: ThenView[];
  sentence: string;
  trouble: { text: string; spot?: Spot }[];
  rests: {
    node: string;
    name: string;
    copies: number;
    takers: string[];
    outcome: string;
    latency: number;
    /** The message as it rests there. */
    message: Message;
    /** What may become of it there. */
    reasons: DeadLetterReason[];
  }[];
  lit: {
    /** Copies that pass each node. */
    nodes: Record<string, number>;
    edges: Record<string, 'passed' | 'refused'>;
    /** The outcome at nodes where something other than resting happens. */
    ends: Record<string, Outcome>;
  };
}

/** What came of taking in how a broker differs. */
export interface TakenInView {
  edits: Edits;
  /** How many differences the draft says then. */
  taken: number;
  left: { what: string; why: string }[];
}

export interface Sending {
  message: Message;
  to: string;
  via: string;
  from: string;
}

/** Why a message sent so does not reach a store, and what would let it through. */
export interface WhyNotView {
  reached: boolean;
  to: string;
  text: string;
  spot?: Spot;
  changes: (
    { of: 'message'; title: string; message: Message } | { of: 'topology'; title: string; edits: TextEdit[] }
  )[];
}

/** Edits worked out, or in words why there are none. */
export type Edits = { ok: true; edits: TextEdit[] } | { ok: false; message: string };

/** What was understood of a file of messages. */
export interface FileView {
  messages: number;
  problems: { line: number; text: string }[];
  /** Problems not listed. */
  more: number;
  /** How many of the messages are not quite of their types. */
  remarks: number;
}

/** Many messages, as far as they are followed. */
export interface ManyView {
  all: number;
  /** outrun: the topology changed meanwhile. */
  state: 'running' | 'done' | 'stopped' | 'outrun';
  messages: number;
  copies: number;
  stores: { store: string; messages: number; copies: number }[];
  outcomes: { outcome: Outcome; count: number }[];
  spreads: { spread: string; members: { store: string; count: number }[] }[];
}

export interface ManyRow {
  type: string;
  key: string;
  headers: string;
  copies: number;
  stores: string[];
  ends: { outcome: Outcome; at: string; why: string }[];
  message: Message;
}

/** A header or property of a type, as a form asks for it. */
export interface FieldView {
  name: string;
  of: 'headers' | 'properties';
  required: boolean;
  /** The values there are to choose from. */
  values?: unknown[];
  /** What it is when it cannot be anything else. */
  fixed?: unknown;
  number?: { least?: number; most?: number; whole: boolean };
}

/** A kept sample and what becomes of it now. */
export interface KeptView {
  name: string;
  group: string;
  type: string;
  from: string;
  spot: Spot;
  rests: string[];
  ends: Outcome[];
  /** Against what the draft is compared with; absent where it is the same, or there is nothing to compare with. */
  change?: { more: string[]; fewer: string[]; begun: Outcome[]; ended: Outcome[] };
  /** Whether it was there before. */
  known: boolean;
}

/** A way's condition, and the samples that come to it. */
export interface ConditionView {
  kind: 'filter' | 'key' | 'headers';
  /** As it stands in the text. */
  written: string;
  /** Why what was asked about cannot be read. */
  trouble?: string;
  trials: { type: string; sample: string; passes: boolean; why: string }[];
}

/** A field of a form. */
export interface FieldOfForm {
  name: string;
  about: string;
  kind: 'text' | 'many' | 'rows' | 'data';
  /** What holds where it is left empty; '' where that is not told. */
  otherwise: string;
  required: boolean;
  values?: string[];
  suggest?: string[];
  columns?: FieldOfForm[];
}

/** A form for one kind of thing. */
export interface FormView {
  kind: FormKind;
  title: string;
  on?: { of: 'broker' | 'app'; names: string[] };
  named: boolean;
  fields: FieldOfForm[];
  /** How many of the fields are asked for at once. */
  first: number;
  permits: boolean;
}

/** A form that is filled in, tried out. */
export type AttemptView =
  | {
      ok: true;
      edits: TextEdit[];
      changes: ChangedLines[];
      brings: { severity: Severity; message: string }[];
      cures: string[];
      trials: { type: string; sample: string; passes: boolean; why: string }[];
    }
  | { ok: false; message: string };

/** Which rows of a table are asked for. */
export interface TableAsked {
  kind: TableKind;
  words: string;
  /** The column by which they are sorted; '' for the order of the text. */
  sort: string;
  down: boolean;
  from: number;
}

export interface TableView {
  columns: {
    name: string;
    about: string;
    otherwise: string;
    editable: boolean;
    values?: string[];
    suggest?: string[];
  }[];
  /** Of each column whether any row states something. */
  stated: boolean[];
  /** How many rows there are, and those of them that are told. */
  count: number;
  rows: {
    id: string;
    thing: string;
    at: { doc: string; start: number; end: number };
    cells: (string | null)[];
  }[];
}

/** The environments there are, and the values of parameters in the one that is looked at. */
export interface EnvironmentsView {
  names: string[];
  parameters: Record<string, string>;
}

/** What an app does because of a message it took. */
export interface ThenView {
  depth: number;
  app: string;
  from: string;
  because: string;
  copies: number;
  spot: Spot;
  /** The app that it hands on to; '' where it publishes. */
  handedTo: string;
  publishes?: { type: string; to: string; key: string; sentence: string; hop: HopView };
  round: boolean;
}

/** What becomes of the messages of a class, in a word: the worst there is. */
export type ClassKind = 'reached' | 'some lost' | 'some refused' | 'refused' | 'nobody';

/** All messages of one publish, in short. */
export interface PublishCoverage {
  id: string;
  from: string;
  to: string;
  /** `mqtt`, or ''. */
  via: string;
  classes: number;
  /** How many messages there are; '' where they are without number. */
  total: string;
  /** Why its classes cannot be told apart; '' where they are. */
  tooMany: string;
  kinds: { kind: ClassKind; classes: number; part: number | null }[];
}

/** All messages of every publish, as far as they have been told. */
export interface CoverageView {
  told: number;
  of: number;
  types: { type: string; publishes: PublishCoverage[] }[];
  /** Stores that nothing comes to. */
  unreached: { at: string; node: string }[];
}

/** One class of messages. */
export interface ClassRow {
  /** Where it stands among those of its publish. */
  n: number;
  when: string;
  share: string;
  /** The part of all messages that it is; null where they cannot be counted. */
  part: number | null;
  /** Why it is not proved; '' where it is. */
  unless: string;
  kind: ClassKind;
  /** The copies in each store. */
  cells: string[];
  /** In which of them they are taken. */
  taken: boolean[];
  /** What goes wrong at a store where no copy comes to rest. */
  fails: (Outcome | '')[];
  /** Stores that are not among the columns. */
  elsewhere: string[];
  /** What else becomes of them, elsewhere than at stores. */
  ends: { outcome: Outcome; at: string }[];
  /** One of them. */
  message: Message;
}

/** All messages of one type against the stores they come to. */
export interface TypeCoverage {
  type: string;
  labels: string[];
  stores: { at: string; node: string }[];
  /** How many stores are not among them. */
  moreStores: number;
  publishes: (PublishCoverage & {
    rows: ClassRow[];
    /** Where there are too many to list them: those that end alike. */
    groups: { id: string; classes: number; part: number | null; kind: ClassKind }[];
    /** Where they are too many to tell apart: what some of them come to. */
    reached: { at: string; outcome: Outcome; message: Message; proved: boolean }[];
  })[];
}

/** Messages of a class, beside those of other types. */
export interface ReachRow extends Pick<PublishCoverage, 'from' | 'to' | 'via'> {
  type: string;
  share: string;
  when: string;
  /** What becomes of them, as far as it was asked. */
  becomes: string;
  proved: boolean;
  message: Message;
}

export interface Reaching {
  rows: ReachRow[];
  /** How many classes more there are. */
  more: number;
}

/** Messages of which something goes wrong. */
export interface StandingOut {
  nobody: Reaching;
  refused: Reaching;
  lost: Reaching;
}

/** In what two classes of messages differ, and what becomes of each. */
export interface DistinctionView {
  by: { alone: boolean; first: string; second: string }[];
  outcomes: [string, string];
}

/** What differs between two states of a topology. */
export interface BetweenView {
  things: { kind: ChangeKind; text: string }[];
  /** What messages do otherwise, a sentence each. */
  messages: string[];
  /** How many changes are not told. */
  more: number;
}

/** What becomes otherwise of messages than in what the draft is compared with. */
export interface DifferenceView {
  /** How many publishes are compared, and how many there are. */
  told: number;
  of: number;
  changes: {
    sentence: string;
    /** Why it is not proved; '' where it is. */
    unless: string;
    type: string;
    from: string;
    /** One of the messages. */
    message?: Message;
  }[];
}

/** One value, stretch of lines or document that two people changed, each otherwise. */
export interface ConflictView {
  id: string;
  doc: string;
  /** Keys that lead to it, the outermost first; empty for lines or a whole document. */
  way: string[];
  /** What stands there, as YAML; undefined where it is not. */
  base: string | undefined;
  mine: string | undefined;
  theirs: string | undefined;
}

/** Two changes put together. */
export interface MergedView {
  documents: TextDocument[];
  conflicts: ConflictView[];
  /** What makes mine of them, where no document comes, goes or is called otherwise. */
  edits?: TextEdit[];
}

/** One declaration that is another now. */
export interface DeclaredView {
  kind: 'added' | 'removed' | 'changed' | 'renamed';
  what: string;
  name: string;
  was: string | undefined;
  /** The thing's id, where it has one. */
  id: string | undefined;
  text: string;
  settings: { name: string; before: string | undefined; after: string | undefined }[];
  tenants: string[];
  documents: string[];
}

/** What becomes of a group of messages, before and after. */
export interface RouteView {
  message: string;
  from: string;
  to: string;
  when: string;
  share: string;
  what: string;
  before: string;
  after: string;
}

/** Two states of a topology compared whole. */
export interface ComparedView {
  /** Of what is declared, in words. */
  counts: string;
  declared: DeclaredView[];
  /** Undefined where too many could do too much to tell. */
  access: { kind: 'gained' | 'lost'; who: string; action: string; on: string[]; why: string }[] | undefined;
  findings: { kind: 'new' | 'cured'; check: string; severity: Severity; message: string }[];
  promises: { kind: 'broken' | 'kept' | 'added' | 'removed'; name: string }[];
  /** What messages do otherwise, a sentence each. */
  messages: string[];
  /** How much is not told. */
  more: number;
  markdown: string;
}
