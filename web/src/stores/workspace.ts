import { applyEdits, compose, type ChangeSet, type TextDocument, type TextEdit } from '@vondle/core/base';
import { defineStore } from 'pinia';
import { computed, ref, shallowRef } from 'vue';
import {
  api,
  ApiProblem,
  Unreachable,
  type DraftData,
  type DraftHead,
  type LiveState,
  type RevisionEntry,
  type TopologyRow,
} from '../api.ts';
import { core } from '../workers/client.ts';
import { OTHER_VERSION, PROTOCOL } from '../workers/protocol.ts';
import type {
  AcceptedView,
  Analysis,
  ConflictView,
  Drawing,
  Edits,
  FindingView,
  MergedView,
  MessageView,
  OutlineGroup,
  ProofView,
  Showing,
} from '../workers/views.ts';
import { forget, isSaved, keep, readKept, sendingOf, type Sending } from './kept.ts';
import { useSession } from './session.ts';
import { standingsOf, type Standing } from './standings.ts';
import { createUndo } from './undo.ts';

/** Where the draft stands: what is on the screen and what the server has. */
export type SaveState = 'saved' | 'unsaved' | 'saving' | 'offline' | 'moved' | 'refused';

const SAVE_AFTER_MS = 500;
const RETRY_AFTER_MS = 3000;

const NONE = { error: 0, warning: 0, advice: 0 };

/** What is to be put together with what is on the screen. */
interface Coming {
  /** The draft as the server has it now, or a revision that was saved meanwhile. */
  readonly documents: readonly TextDocument[];
  /** What both began from. */
  readonly before: readonly TextDocument[];
  /** The draft's version it is; none for a revision. */
  readonly version?: number;
  /** The revision the draft goes on from with it. */
  readonly base: number;
  /** Whose it is, in words: `Odo Finch`, `r5`. */
  readonly by: string;
}

/** The workspace of one topology: its draft, what the worker says of it, and keeping it safe. */
export const useWorkspace = defineStore('workspace', () => {
  const topology = ref<TopologyRow>();
  const documents = shallowRef<readonly TextDocument[]>([]);
  /** The last change of them: what was before it, and the edits where it is known which. */
  const changed = shallowRef<{ before: readonly TextDocument[]; edits: ChangeSet | undefined }>();
  const base = ref(0);
  const saveState = ref<SaveState>('saved');
  const saveTrouble = ref('');
  /** The draft that is edited; none for a folder's files. */
  const draft = shallowRef<Omit<DraftHead, 'version' | 'base'>>();
  /** What somebody else wrote meanwhile, on its way into what is on the screen. */
  const coming = shallowRef<Coming>();
  /** The values that both changed, each otherwise; nothing is saved until each is decided. */
  const conflicts = shallowRef<readonly ConflictView[]>([]);
  /** What was decided of them, by id. */
  const choices = shallowRef<ReadonlyMap<string, 'mine' | 'theirs'>>(new Map());
  /** The revision that is looked at instead of the draft; it cannot be changed. */
  const looking = ref<number>();
  /** The draft's documents while a revision is looked at. */
  let aside: readonly TextDocument[] | undefined;
  const revisions = shallowRef<RevisionEntry[]>([]);
  /** Where each environment stands. */
  const standings = shallowRef<readonly Standing[]>([]);
  /** The environment that everything is looked at in; '' for none. */
  const environment = ref('');
  /** What the worker said last: a new object whenever it said something. */
  const analysis = shallowRef<Omit<Analysis, 'findings' | 'news'>>({
    name: '',
    counts: NONE,
    environments: { names: [], parameters: {} },
    has: { brokers: 0, messages: 0, apps: 0, publishes: 0 },
    empty: false,
  });
  /** What the checks found; a finding that stays is the same object. */
  const checked = shallowRef<readonly FindingView[]>([]);
  let told = new Map<number, FindingView>();
  /** Whether the worker has said anything of this topology yet. */
  const looked = ref(false);
  /** What the analysis found, with the expectations that are not kept. */
  const findings = computed(() =>
    broken.value.length ? [...checked.value, ...broken.value] : checked.value,
  );
  const counts = computed(() => {
    const all = { ...analysis.value.counts };
    for (const { severity } of broken.value) all[severity]++;
    return all;
  });
  const proofs = shallowRef<ProofView[]>([]);
  const broken = shallowRef<FindingView[]>([]);
  const accepted = shallowRef<AcceptedView[]>([]);
  const outline = shallowRef<OutlineGroup[]>([]);
  const messages = shallowRef<MessageView[]>([]);
  const drawing = shallowRef<Drawing>();
  const showing = shallowRef<Showing>({
    folded: [],
    near: '',
    depth: 2,
    only: [],
    room: 0,
    compared: false,
    unchanged: false,
    way: [],
  });
  /** The revision that the draft is compared with. */
  const compared = ref<number>();
  /** Whether the dialog that saves a revision is open. */
  const savingRevision = ref(false);
  /** What went wrong in the worker itself; never in ordinary use. */
  const trouble = ref('');
  /** The names of the documents; one list for as long as none comes, goes or changes. */
  const names = computed<readonly string[]>((before) => {
    const now = documents.value.map(({ name }) => name);
    return before?.length === now.length && now.every((name, i) => name === before[i]) ? before : now;
  });
  const canWrite = computed(
    () =>
      topology.value !== undefined &&
      !['reader', 'operator'].includes(topology.value.role) &&
      looking.value === undefined,
  );
  /** Whether one may connect brokers and carry rollouts out. */
  const canOperate = computed(() => ['operator', 'owner'].includes(topology.value?.role ?? ''));

  let version = 0;
  /** The documents that the server has at that version, as the same objects; none where that is not known. */
  let stored: ReadonlySet<TextDocument> | undefined;
  let timer: ReturnType<typeof setTimeout> | undefined;
  let saving: Promise<void> | undefined;
  /** The save that is on its way, or of which it is not known whether it arrived. */
  let sending: Sending | undefined;
  let analysing: Promise<unknown> | undefined;
  let stale = false;
  /** The environment that the worker looks at. */
  let lookedIn = '';
  /** What the worker has, to send it only what changed. */
  let sent: readonly TextDocument[] = [];
  /** The edits that lead from there to the present documents; none where it is not known which. */
  let unsent: ChangeSet | undefined;
  let drawers = 0;
  const undo = createUndo();
  /** Unsaved work is kept for whoever did it: somebody else may sign in at this browser. */
  const keptFor = (slug: string) =>
    `${useSession().person?.handle ?? ''} ${slug}${draft.value && !draft.value.main ? ` ${draft.value.id}` : ''}`;
  /** Which draft is asked for; the main one is not named. */
  const which = () => (draft.value && !draft.value.main ? draft.value.id : undefined);
  /** The draft's documents, looked at or not. */
  const own = () => aside ?? documents.value;

  /** Opens a topology; what an earlier visit could not save is put back over the server's draft if it began from it. */
  async function open(slug: string, id?: number): Promise<void> {
    await save();
    const { draft: data, ...entry } = await api.topology(slug, id);
    clearTimeout(timer);
    topology.value = entry;
    aside = undefined;
    looking.value = undefined;
    take(data);
    const kept = readKept(keptFor(slug), data.documents);
    /** Whether the draft went on without what was kept here. */
    let behind = false;
    if (kept && canWrite.value) {
      if (same(kept.documents, data.documents)) forget(keptFor(slug));
      else {
        unsent = undefined;
        documents.value = kept.documents;
        // what one sent oneself, and has no answer to, is nobody else's
        const sentByMe =
          kept.sending && version === kept.version + 1 && isSaved(kept.sending, data.documents);
        if (kept.version === version || sentByMe) touch();
        else {
          // the draft went on without what was kept here: both are put together
          version = kept.version;
          stored = undefined;
          saveState.value = 'moved';
          behind = true;
        }
      }
    }
    looked.value = false;
    if ((await core.protocol()) !== PROTOCOL) {
      trouble.value = OTHER_VERSION;
      return;
    }
    await beginFrom();
    if (behind) await comeIn(data);
    await Promise.all([
      analyse(),
      api.revisions(slug).then((list) => (revisions.value = list)),
      // where environments stand is good to know, and nothing to wait for
      standAgain().catch(() => undefined),
    ]);
  }

  /** Takes the files of a folder in that somebody else wrote meanwhile; what is not saved here stays. */
  async function lookAgain(): Promise<void> {
    const { value: of } = topology;
    if (!of?.local || saveState.value !== 'saved') return;
    const { draft: data } = await api.topology(of.slug);
    if (data.version === version || saveState.value !== 'saved' || topology.value !== of) return;
    take(data);
    await analyse();
  }

  /** Asks where the environments stand: after a rollout they stand elsewhere. */
  async function standAgain(): Promise<void> {
    const { slug } = topology.value!;
    const [targets, rollouts, places] = await Promise.all([
      api.targets(slug),
      api.rollouts(slug),
      api.places(slug),
    ]);
    standings.value = standingsOf(targets, rollouts, places.all);
  }

  /** Tells the worker what the draft began from, so that it can say what the draft adds and cures. */
  async function beginFrom(): Promise<void> {
    const slug = topology.value!.slug;
    const revision = base.value ? await api.revision(slug, base.value).catch(() => undefined) : undefined;
    await core.beginFrom(revision?.documents);
  }

  function take({ documents: all, base: on, version: at, ...head }: DraftData): void {
    undo.forget();
    unsent = undefined;
    documents.value = all;
    draft.value = head;
    base.value = on;
    version = at;
    stored = new Set(all);
    sending = undefined;
    saveState.value = 'saved';
    settled();
  }

  /** Nothing is on its way in any more. */
  function settled(): void {
    coming.value = undefined;
    conflicts.value = [];
    choices.value = new Map();
  }

  /** Asks the worker about the present text; while it works, further changes wait and are asked once. */
  function analyse(): Promise<unknown> {
    stale = true;
    analysing ??= (async () => {
      while (stale) {
        stale = false;
        const now = documents.value;
        const before = new Set(sent);
        const edits = unsent;
        sent = now;
        unsent = [];
        if (lookedIn !== environment.value) {
          lookedIn = environment.value;
          takeIn(await core.lookIn(lookedIn));
        }
        const found = await (edits
          ? core.change(edits as TextEdit[])
          : core.analyse(
              now.filter((document) => !before.has(document)),
              now.map(({ name }) => name),
            ));
        takeIn(found);
        looked.value = true;
        // what follows from it is asked for first by those who wait on the analysis itself
        await Promise.resolve();
        if (stale) continue;
        const tried = await core.prove();
        proofs.value = tried.proofs;
        broken.value = tried.findings;
        accepted.value = await core.accepted();
        // lists and picture mark broken promises too
        const lists = await core.lists();
        const groups = outline.value;
        outline.value =
          lists.outline?.map((group) => (typeof group === 'number' ? groups[group]! : group)) ?? groups;
        messages.value = lists.messages ?? messages.value;
        if (drawers && !stale) await draw();
      }
    })()
      .then(() => (trouble.value = ''))
      .catch((error: Error) => (trouble.value = `The topology could not be worked out: ${error.message}`))
      .finally(() => (analysing = undefined));
    return analysing;
  }

  /** Takes in what was found; of the findings only those that are new were sent. */
  function takeIn({ findings: numbers, news, ...rest }: Analysis): void {
    const fresh = new Map(news.map(({ at, view }) => [at, view]));
    told = new Map(numbers.map((at) => [at, fresh.get(at) ?? told.get(at)!]));
    const before = checked.value;
    const now = numbers.map((at) => told.get(at)!);
    // what depends on the findings is not worked out anew where they are what they were
    if (now.length !== before.length || now.some((each, i) => each !== before[i])) checked.value = now;
    analysis.value = rest;
  }

  /** Looks at everything as it is in an environment; with '' as it is in none. */
  function lookIn(name: string): void {
    if (name === environment.value) return;
    environment.value = name;
    if (topology.value) void analyse();
  }

  async function draw(): Promise<void> {
    drawing.value =
      (await core.drawing({
        ...showing.value,
        folded: [...showing.value.folded],
        only: [...showing.value.only],
        way: [...showing.value.way],
      })) ?? drawing.value;
  }

  /** Chooses what of the graph is drawn. */
  function show(what: Partial<Showing>): void {
    showing.value = { ...showing.value, ...what };
    if (drawers && !analysing) void draw();
  }

  /** Compares the draft with a revision, or with nothing. */
  async function compareWith(number: number | undefined): Promise<void> {
    const revision = number && topology.value ? await api.revision(topology.value.slug, number) : undefined;
    await core.compareWith(revision?.documents);
    compared.value = revision ? number : undefined;
    show({ compared: revision !== undefined });
  }

  /** Keeps the drawing up to date for as long as somebody shows it. @returns what ends that */
  function keepDrawn(): () => void {
    if (drawers++ === 0 && !analysing) void draw();
    return () => void drawers--;
  }

  /**
   * Takes documents as they are to be, saves them soon and asks the worker.
   * @param edits what leads there from the present ones, where it is known
   */
  function put(next: readonly TextDocument[], edits?: ChangeSet): void {
    unsent = edits && unsent && compose(unsent, edits);
    changed.value = { before: documents.value, edits };
    documents.value = next;
    touch();
    void analyse();
  }

  /** Takes in what was typed into a document. */
  function typeIn(name: string, edits: readonly Omit<TextEdit, 'doc'>[]): void {
    const own = edits.map((edit) => ({ ...edit, doc: name }));
    undo.note(documents.value, own, name);
    put(applyEdits(documents.value, own), own);
  }

  function step(way: 'back' | 'on'): void {
    if (!canWrite.value) return;
    const next = undo[way](documents.value);
    if (next) put(next.documents, next.edits);
  }

  /**
   * Makes edits that the worker works out. Their offsets are those of the text that the worker has, so
   * it is asked once it was sent the present one, and asked again when the text went on meanwhile.
   */
  async function edit(ask: () => Promise<Edits>): Promise<Edits> {
    for (;;) {
      while (sent !== documents.value && analysing) await analysing;
      const present = documents.value;
      const answer = await ask();
      if (documents.value !== present) continue;
      if (answer.ok) make(answer.edits);
      return answer;
    }
  }

  /** Mends a finding. @returns in words why not, where it cannot be done without harm */
  async function mend({ id }: FindingView, index = 0): Promise<string> {
    const answer = await edit(() => core.mend(id, index));
    return answer.ok ? '' : answer.message;
  }

  /** Makes edits of several documents at once; offsets are those of the present text. */
  function make(edits: ChangeSet): void {
    const next = applyEdits(documents.value, edits);
    // writing what is there already is no step to undo
    if (!canWrite.value || same(next, documents.value)) return;
    undo.note(documents.value, edits);
    put(next, edits);
  }

  /** @returns why it cannot be called that, or undefined when it is made */
  function addDocument(name: string, text = 'vondle: 1\n'): string | undefined {
    if (documents.value.some((document) => document.name === name))
      return `There is a document ${name} already.`;
    undo.note(documents.value);
    put([...documents.value, { name, text }]);
    return undefined;
  }

  function renameDocument(from: string, to: string): string | undefined {
    if (from === to) return undefined;
    if (documents.value.some((document) => document.name === to)) return `There is a document ${to} already.`;
    undo.note(documents.value);
    put(documents.value.map(({ name, text }) => ({ name: name === from ? to : name, text })));
    return undefined;
  }

  function removeDocument(name: string): void {
    undo.note(documents.value);
    put(documents.value.filter((document) => document.name !== name));
  }

  /** Takes documents in place of all there are. */
  function putInstead(taken: readonly TextDocument[]): void {
    if (!canWrite.value || same(taken, documents.value)) return;
    undo.note(documents.value);
    put(taken.map((document) => ({ ...document })));
  }

  /** Takes several documents in, in place of those of the same names. */
  function putDocuments(taken: readonly TextDocument[]): void {
    undo.note(documents.value);
    const names = new Set(taken.map(({ name }) => name));
    put([...documents.value.filter(({ name }) => !names.has(name)), ...taken]);
  }

  function touch(): void {
    if (!topology.value) return;
    keep(keptFor(topology.value.slug), { version, documents: own(), sending }, stored);
    if (saveState.value === 'moved') return;
    saveState.value = 'unsaved';
    schedule(SAVE_AFTER_MS);
  }

  function schedule(after: number): void {
    clearTimeout(timer);
    timer = setTimeout(() => void save(), after);
  }

  /** Writes the draft to the server. Resolves when it is there, or when it is known why not. */
  async function save(): Promise<void> {
    clearTimeout(timer);
    await saving;
    if (!topology.value || !['unsaved', 'offline'].includes(saveState.value)) return;
    saving = write(topology.value.slug).finally(() => (saving = undefined));
    await saving;
  }

  async function write(slug: string): Promise<void> {
    const sent = own();
    saveState.value = 'saving';
    const write = { draft: which(), version, base: base.value };
    try {
      const names = sent.map(({ name }) => name);
      const before = stored;
      const changed = before ? sent.filter((each) => !before.has(each)) : sent;
      sending = sendingOf(sent, changed);
      keep(keptFor(slug), { version, documents: own(), sending }, stored);
      // a large draft is not sent whole at each pause in typing
      const saved = before
        ? await api.changeDraft(slug, write, names, changed)
        : await api.saveDraft(slug, write, sent);
      arrived(slug, saved.version, sent);
    } catch (error) {
      if (error instanceof ApiProblem && error.status === 409) {
        // who and when is told with the answer; what they wrote is asked for
        const other = (await api.topology(slug, which()).catch(() => undefined))?.draft;
        if (!other) {
          saveState.value = 'offline';
          schedule(RETRY_AFTER_MS);
          return;
        }
        // an earlier save of this very text, whose answer was lost on the way, is nobody else's
        if (same(other.documents, sent)) return arrived(slug, other.version, sent);
        await comeIn(other);
      } else if (error instanceof Unreachable || (error instanceof ApiProblem && error.status >= 500)) {
        saveState.value = 'offline';
        schedule(RETRY_AFTER_MS);
      } else {
        saveState.value = 'refused';
        saveTrouble.value = (error as Error).message;
      }
    }
  }

  /** The server has what was sent; what was typed meanwhile is still to be saved. */
  function arrived(slug: string, at: number, sent: readonly TextDocument[]): void {
    version = at;
    sending = undefined;
    stored = new Set(sent);
    saveTrouble.value = '';
    if (own() === sent) {
      saveState.value = 'saved';
      forget(keptFor(slug));
    } else {
      saveState.value = 'unsaved';
      keep(keptFor(slug), { version, documents: own() }, stored);
      schedule(SAVE_AFTER_MS);
    }
  }

  /** Takes in what the server has of the draft, put together with what is on the screen. */
  async function comeIn(other: DraftData): Promise<void> {
    const before = stored ? [...stored] : await revisionDocuments(other.base);
    const { documents: all, version: at, base: on } = other;
    coming.value = { documents: all, before, version: at, base: on, by: other.updatedBy ?? 'Somebody' };
    await putTogether();
  }

  const revisionDocuments = async (number: number): Promise<readonly TextDocument[]> =>
    number ? (await api.revision(topology.value!.slug, number)).documents : [];

  /** Brings a revision that was saved meanwhile into the draft, which goes on from it then. */
  async function bringIn(number: number): Promise<void> {
    await save();
    const [before, after] = await Promise.all([revisionDocuments(base.value), revisionDocuments(number)]);
    coming.value = { documents: after, before, base: number, by: `r${number}` };
    await putTogether();
  }

  /** Puts what comes in together with what is here, unless something is to be decided first. */
  async function putTogether(): Promise<void> {
    for (;;) {
      const other = coming.value;
      const mine = own();
      if (!other) return;
      const decided = choices.value;
      const plain = (all: readonly TextDocument[]) => all.map(({ name, text }) => ({ name, text }));
      const found = await core.merge(plain(other.before), plain(mine), plain(other.documents), [...decided]);
      // whatever was typed, or came, meanwhile is put together too
      if (own() !== mine || coming.value !== other || choices.value !== decided) continue;
      conflicts.value = found.conflicts;
      if (found.conflicts.some(({ id }) => !decided.has(id))) {
        saveState.value = 'moved';
        return;
      }
      await accept(other, mine, found);
      return;
    }
  }

  async function accept(other: Coming, mine: readonly TextDocument[], found: MergedView): Promise<void> {
    const known = new Map([...mine, ...other.documents].map((each) => [each.name, each]));
    // what is as the server has it is the very object, so that it is not sent again
    const merged = found.documents.map((each) => {
      const same = known.get(each.name);
      return same?.text === each.text ? same : each;
    });
    const moved = base.value !== other.base;
    if (other.version !== undefined) {
      version = other.version;
      stored = new Set(other.documents);
      sending = undefined;
    }
    base.value = other.base;
    settled();
    if (!same(merged, mine)) {
      undo.others(found.edits);
      if (aside) aside = merged;
      else {
        unsent = found.edits && unsent && compose(unsent, found.edits);
        changed.value = { before: mine, edits: found.edits };
        documents.value = merged;
      }
    }
    saveState.value = 'saved';
    if (other.version === undefined || !same(merged, other.documents)) touch();
    else if (topology.value) forget(keptFor(topology.value.slug));
    if (moved) await beginFrom();
    if (!aside) void analyse();
  }

  /** Decides a conflict, or with no id all that are open. */
  async function choose(side: 'mine' | 'theirs', id?: string): Promise<void> {
    const ids = id === undefined ? conflicts.value.map((each) => each.id) : [id];
    const open = ids.filter((each) => id !== undefined || !choices.value.has(each));
    choices.value = new Map([...choices.value, ...open.map((each) => [each, side] as const)]);
    await putTogether();
  }

  /** Hears how the topology stands on the server: what others did comes in, and nothing of one's own is lost. */
  async function hear(state: LiveState): Promise<void> {
    const { value: of } = topology;
    if (!of) return;
    if (of.role !== state.role) topology.value = { ...of, role: state.role };
    if (state.revision !== (revisions.value[0]?.number ?? 0)) revisions.value = await api.revisions(of.slug);
    const now = () => state.drafts.find(({ id, main }) => (draft.value ? id === draft.value.id : main));
    // one's own save may be heard of before its answer is
    await saving;
    if (topology.value?.slug !== of.slug || (coming.value?.version ?? version) >= (now()?.version ?? 0))
      return;
    const { draft: data } = await api.topology(of.slug, which());
    await saving;
    if (topology.value?.slug !== of.slug || data.id !== draft.value?.id) return;
    if (data.version > (coming.value?.version ?? version)) await comeIn(data);
  }

  /** Looks at a revision instead of the draft, or at the draft again; the draft is kept as it is meanwhile. */
  async function lookAt(number: number | undefined): Promise<void> {
    if (number === looking.value || !topology.value) return;
    const all = number === undefined ? undefined : await revisionDocuments(number);
    const now = all ?? aside;
    if (!now) return;
    aside = all ? own() : undefined;
    looking.value = number;
    unsent = undefined;
    changed.value = { before: documents.value, edits: undefined };
    documents.value = now;
    await analyse();
  }

  async function saveRevision(words: string): Promise<number> {
    const { slug } = topology.value!;
    await save();
    if (saveState.value !== 'saved')
      throw new Error('The draft is not saved yet; see its state in the head.');
    const saved = await api.saveRevision(slug, which(), version, words);
    version = saved.version;
    base.value = saved.number;
    await beginFrom();
    void analyse();
    revisions.value = await api.revisions(slug);
    return saved.number;
  }

  return {
    topology,
    documents,
    names,
    base,
    saveState,
    saveTrouble,
    draft,
    coming,
    conflicts,
    choices,
    choose,
    looking,
    lookAt,
    hear,
    bringIn,
    revisions,
    standings,
    standAgain,
    lookAgain,
    looked,
    environment,
    lookIn,
    analysis,
    findings,
    counts,
    proofs,
    accepted,
    outline,
    messages,
    drawing,
    showing,
    compared,
    trouble,
    canWrite,
    canOperate,
    savingRevision,
    open,
    changed,
    typeIn,
    make,
    edit,
    mend,
    addDocument,
    renameDocument,
    removeDocument,
    putDocuments,
    putInstead,
    undo: () => step('back'),
    redo: () => step('on'),
    canUndo: undo.canGoBack,
    canRedo: undo.canGoOn,
    keepDrawn,
    show,
    compareWith,
    save,
    saveRevision,
  };
});

function same(a: readonly TextDocument[], b: readonly TextDocument[]): boolean {
  return a.length === b.length && a.every(({ name, text }, i) => b[i]!.name === name && b[i]!.text === text);
}
