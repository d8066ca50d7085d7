<script setup lang="ts">
import { ElButton, ElInput } from 'element-plus';
import { computed, ref, shallowRef, watch } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import type { TextDocument } from '@vondle/core/base';
import {
  api,
  type About,
  type Agreement,
  type DraftData,
  type Proposal,
  type VerdictEntry,
} from '../../api.ts';
import Said from '../../parts/Said.vue';
import { useLive } from '../../stores/live.ts';
import { useSession } from '../../stores/session.ts';
import { useWorkspace } from '../../stores/workspace.ts';
import { core } from '../../workers/client.ts';
import type { ComparedView } from '../../workers/views.ts';
import { someOf } from '../compare/some.ts';
import { textDifferences, type DocumentDifference } from '../compare/text.ts';
import TextParts from '../compare/TextParts.vue';
import { lineNow } from './line.ts';
import Threads from './Threads.vue';

/** One proposal: what it does, what it lacks, what is said to it. */
const { number } = defineProps<{ number: number }>();
const workspace = useWorkspace();
const live = useLive();
const session = useSession();
const route = useRoute();
const router = useRouter();

const proposal = shallowRef<Proposal>();
const agreement = shallowRef<Agreement>();
const draft = shallowRef<DraftData>();
const compared = shallowRef<ComparedView>();
const texts = shallowRef<DocumentDifference[]>([]);
const since = shallowRef<{ name: string; texts: DocumentDifference[] }>();
const trouble = ref('');
const words = ref('');
/** What a comment is begun about. */
const about = ref<About>();
const comment = ref('');
const slug = computed(() => workspace.topology!.slug);
const open = computed(() => proposal.value?.state === 'open');
const own = computed(() => proposal.value?.author === session.person?.handle);
/** Whoever wrote into the draft does not review it. */
const wrote = computed(
  () => proposal.value?.writers.some(({ handle }) => handle === session.person?.handle) ?? false,
);
const mayApprove = computed(() => ['approver', 'owner'].includes(workspace.topology?.role ?? ''));
const mayWrite = computed(() => !['reader', 'operator'].includes(workspace.topology?.role ?? ''));

let asked = 0;
async function look() {
  const turn = ++asked;
  try {
    const found = await api.proposal(slug.value, number);
    if (turn !== asked) return;
    proposal.value = found;
    if (found.state === 'withdrawn' || (found.state === 'open' && found.draft === null)) return;
    const revisionOf = async (of: number): Promise<readonly TextDocument[]> =>
      of ? (await api.revision(slug.value, of)).documents : [];
    let [before, after]: (readonly TextDocument[])[] = [[], []];
    let from = 0;
    if (found.state === 'open') {
      const { draft: data } = await api.topology(slug.value, found.draft!);
      if (turn !== asked) return;
      draft.value = data;
      from = data.base;
      [before, after] = [await revisionOf(data.base), data.documents];
      agreement.value = await api.agreement(slug.value, number);
    } else {
      const revision = workspace.revisions.find((each) => each.number === found.revision);
      from = revision?.parent ?? 0;
      [before, after] = [await revisionOf(from), await revisionOf(found.revision!)];
      agreement.value = undefined;
    }
    if (turn !== asked) return;
    const plain = (all: readonly TextDocument[]) => all.map(({ name, text }) => ({ name, text }));
    texts.value = textDifferences(before, after);
    const names = { from: from ? `r${from}` : 'nothing', to: found.title };
    const told = await core.compared(plain(before), plain(after), '', names);
    if (turn === asked) compared.value = told;
  } catch (error) {
    if (turn === asked) trouble.value = (error as Error).message;
  }
}
watch(
  () => number,
  () => {
    proposal.value = undefined;
    compared.value = undefined;
    since.value = undefined;
    void look();
  },
  { immediate: true },
);
// what others say, or write, shows at once
const mark = computed(() => {
  const version = live.state?.drafts.find(({ id }) => id === proposal.value?.draft)?.version;
  return `${live.state?.proposals ?? ''} ${version ?? ''}`;
});
watch(mark, () => void look());

/** Does something on the server, and says what was wrong where it could not be done. */
async function attempt(what: () => Promise<unknown>) {
  trouble.value = '';
  try {
    await what();
  } catch (error) {
    trouble.value = (error as Error).message;
  }
  await look();
}
const say = (verdict: 'approve' | 'changes') =>
  attempt(async () => {
    await api.say(slug.value, number, { verdict, version: draft.value!.version, words: words.value.trim() });
    words.value = '';
  });
const keep = () =>
  attempt(async () => {
    const { number: revision } = await api.keepProposal(slug.value, number, draft.value!.version);
    await router.push({ name: 'revisions', params: route.params, query: { revision: String(revision) } });
  });
const begin = () =>
  attempt(async () => {
    await api.beginThread(slug.value, number, about.value!, comment.value.trim());
    about.value = undefined;
    comment.value = '';
  });
async function showSince({ handle, name }: VerdictEntry) {
  try {
    const { documents } = await api.verdictOf(slug.value, number, handle);
    since.value = { name, texts: textDifferences(documents, draft.value!.documents) };
  } catch (error) {
    trouble.value = (error as Error).message;
  }
}

const textOf = (doc: string) => draft.value?.documents.find(({ name }) => name === doc)?.text;
function inWords(of: About): string {
  if (of.kind === 'all') return 'all of it';
  if (of.kind === 'thing') return of.id.replace(':', ' ');
  if (of.kind !== 'line') return of.text;
  const text = textOf(of.doc);
  const now = text === undefined ? of.line : lineNow(text, of.line, of.text);
  return now === undefined
    ? `${of.doc}: a line that is gone: ${of.text.trim()}`
    : `${of.doc} ${now}: ${of.text.trim()}`;
}
const places = computed(() => new Map(proposal.value?.threads.map(({ id, about: of }) => [id, inWords(of)])));
/** Goes to what a thread is about, in the proposed draft. */
async function go(of: About) {
  const query = draft.value?.main ? {} : { draft: String(draft.value?.id ?? '') };
  if (of.kind === 'thing')
    await router.push({ name: 'declare', params: route.params, query: { ...query, sel: of.id } });
  if (of.kind !== 'line') return;
  const text = textOf(of.doc);
  const line = text === undefined ? undefined : lineNow(text, of.line, of.text);
  if (text === undefined || line === undefined) return;
  const lines = text.split('\n');
  const at = lines.slice(0, line - 1).reduce((sum, each) => sum + each.length + 1, 0);
  const to = at + lines[line - 1]!.length;
  await router.push({
    name: 'declare',
    params: route.params,
    query: { ...query, doc: of.doc, at: `${at}-${to}` },
  });
}
const draftLink = computed(() => ({
  name: 'declare',
  params: route.params,
  query: draft.value?.main ? {} : { draft: String(draft.value?.id ?? '') },
}));
/** Whose it is, what it is of, and what became of it. */
const origin = computed(() => {
  const { authorName, state, revision, writers } = proposal.value!;
  const names = writers.map(({ name }) => name).join(', ');
  const by = `proposed by ${authorName}${names && names !== authorName ? `, written by ${names}` : ''}`;
  if (state === 'kept') return `${by}; it became r${revision}`;
  if (state === 'withdrawn') return `${by}; withdrawn`;
  const of = draft.value;
  return of ? `${by}: the draft ${of.name}, on ${of.base ? `r${of.base}` : 'nothing'};` : by;
});
const openThreads = computed(() => proposal.value?.threads.filter(({ resolved }) => !resolved).length ?? 0);
</script>

<template>
  <article v-if="proposal" class="proposal" data-testid="proposal">
    <h1>{{ proposal.title }}</h1>
    <p class="soft">
      {{ origin }}
      <router-link v-if="open && draft" :to="draftLink">look into the draft</router-link>
    </p>
    <p v-if="proposal.words" class="why">{{ proposal.words }}</p>
    <p v-if="trouble" class="error" role="alert"><Said :text="trouble" /></p>

    <section v-if="open && agreement" class="stands" data-testid="agreement">
      <h2>{{ agreement.lacking.length ? 'What it lacks' : 'It can become a revision' }}</h2>
      <ul>
        <li v-if="!agreement.ruled" class="soft">
          Nobody has to approve it: the topology has no rules under “review”.
        </li>
        <li v-for="line in agreement.lacking" :key="line" class="warning">{{ line }}</li>
        <li v-for="each in proposal.verdicts" :key="each.handle" data-testid="verdict">
          <b :class="each.holds ? (each.verdict === 'approve' ? 'good' : 'error') : 'soft'">{{
            each.name
          }}</b>
          {{ each.verdict === 'approve' ? 'approved' : 'asks for changes'
          }}<template v-if="each.words">: {{ each.words }}</template>
          <template v-if="!each.holds">
            <span class="soft"> – it changed since, so that this does not count any more:</span>
            <button class="plain link" @click="showSince(each)">what changed since</button>
          </template>
        </li>
      </ul>
      <div v-if="mayApprove && !own && !wrote" class="inline-form">
        <label>your words <el-input v-model="words" maxlength="4000" aria-label="your words" /></label>
        <el-button type="primary" @click="say('approve')">Approve</el-button>
        <el-button @click="say('changes')">Ask for changes</el-button>
      </div>
      <p v-else-if="own" class="soft">You proposed this; others approve it.</p>
      <p v-else-if="wrote" class="soft">You wrote into this draft; members who did not approve it.</p>
      <div>
        <el-button
          v-if="mayWrite"
          :type="agreement.lacking.length ? undefined : 'primary'"
          :disabled="agreement.lacking.length > 0"
          @click="keep"
          >Make it a revision</el-button
        >
        <el-button
          v-if="own || workspace.topology?.role === 'owner'"
          @click="attempt(() => api.withdraw(slug, number))"
          >Withdraw it</el-button
        >
      </div>
    </section>

    <section v-if="since" class="since">
      <h2>
        What changed since {{ since.name }} looked
        <button class="plain link" @click="since = undefined">close</button>
      </h2>
      <TextParts :documents="since.texts" :beside="false" />
    </section>

    <p v-if="!compared && proposal.state !== 'withdrawn'" class="soft">reading what it does …</p>
    <template v-if="compared">
      <section>
        <h2>What messages do otherwise</h2>
        <p v-if="compared.messages.length === 0" class="good">No message goes elsewhere.</p>
        <ul>
          <li v-for="sentence in compared.messages" :key="sentence" data-testid="does">
            {{ sentence }}
            <button v-if="open" class="plain say" @click="about = { kind: 'route', text: sentence }">
              say something
            </button>
          </li>
        </ul>
      </section>
      <section>
        <h2>
          What is declared otherwise<template v-if="compared.counts">: {{ compared.counts }}</template>
        </h2>
        <ul>
          <li v-for="(each, i) in compared.declared" :key="i">
            <b :class="each.kind === 'added' ? 'good' : each.kind === 'removed' ? 'error' : 'warning'">{{
              each.kind
            }}</b>
            {{ each.text }}
            <button v-if="open && each.id" class="plain say" @click="about = { kind: 'thing', id: each.id }">
              say something
            </button>
          </li>
        </ul>
      </section>
      <section v-if="compared.access?.length">
        <h2>Who may what</h2>
        <ul>
          <li v-for="(each, i) in compared.access.slice(0, 40)" :key="i">
            <b :class="each.kind === 'gained' ? 'good' : 'error'">{{ each.kind }}</b>
            <span class="mono"> {{ each.who }}</span> {{ each.action }}
            <span class="mono">{{ someOf(each.on) }}</span>
          </li>
        </ul>
        <p v-if="compared.access.length > 40" class="soft">and {{ compared.access.length - 40 }} more</p>
      </section>
      <section v-if="compared.findings.length + compared.promises.length">
        <h2>What the checks say</h2>
        <ul>
          <li
            v-for="(each, i) in compared.promises"
            :key="`p${i}`"
            :class="each.kind === 'broken' ? 'error' : 'good'"
          >
            promise {{ each.name }} is {{ each.kind }}
          </li>
          <li v-for="(each, i) in compared.findings" :key="i">
            <b :class="each.kind === 'cured' ? 'good' : each.severity">{{
              each.kind === 'cured' ? 'cured' : each.severity
            }}</b>
            <Said :text="each.message" />
            <button v-if="open" class="plain say" @click="about = { kind: 'finding', text: each.message }">
              say something
            </button>
          </li>
        </ul>
      </section>
      <section class="text">
        <h2>The text</h2>
        <TextParts
          :documents="texts"
          :beside="false"
          :sayable="open"
          @say="(doc, line, text) => (about = { kind: 'line', doc, line, text })"
        />
      </section>
    </template>
  </article>
  <aside v-if="proposal" aria-label="what is said" data-testid="talk">
    <h2>
      Said <span v-if="openThreads" class="soft">{{ openThreads }} open</span>
    </h2>
    <form v-if="about" class="begin" @submit.prevent="begin">
      <p>
        About <b>{{ inWords(about) }}</b>
      </p>
      <el-input
        v-model="comment"
        type="textarea"
        :rows="3"
        maxlength="4000"
        aria-label="your comment"
        autofocus
      />
      <p>
        <el-button native-type="submit" size="small" type="primary" :disabled="!comment.trim()"
          >Say it</el-button
        >
        <el-button size="small" @click="about = undefined">leave it</el-button>
      </p>
    </form>
    <p v-else-if="open"><el-button size="small" @click="about = { kind: 'all' }">Say something</el-button></p>
    <Threads
      :threads="proposal.threads"
      :places="places"
      :closed="!open"
      @answer="(thread, said) => attempt(() => api.comment(slug, number, thread, said))"
      @resolve="(thread, resolved) => attempt(() => api.resolveThread(slug, number, thread, resolved))"
      @go="go"
    />
    <p v-if="proposal.threads.length === 0" class="soft">Nothing yet.</p>
  </aside>
  <p v-else-if="trouble" class="error told" role="alert"><Said :text="trouble" /></p>
</template>

<style scoped>
.proposal,
aside {
  overflow: auto;
  padding: 14px 20px 40px;
}
aside {
  border-left: 1px solid var(--hairline);
  background: var(--sheet);
}
.told {
  padding: 20px;
}
h1 {
  font-size: 17px;
  font-weight: 600;
}
section {
  margin-top: 18px;
}
ul {
  display: grid;
  gap: 5px;
}
li {
  overflow-wrap: anywhere;
}
.why {
  margin-top: 6px;
  white-space: pre-wrap;
}
.stands {
  display: grid;
  gap: 10px;
  padding: 12px 14px;
  background: var(--sheet);
  border: 1px solid var(--hairline);
}
.inline-form .el-input {
  width: 260px;
}
.inline-form .el-button + .el-button {
  margin-left: 0;
}
.say {
  margin-left: 6px;
  color: var(--accent);
  font-size: 12px;
  opacity: 0.6;
}
li:hover .say,
.say:focus-visible {
  opacity: 1;
  text-decoration: underline;
}
.begin {
  display: grid;
  gap: 6px;
  margin: 8px 0;
  overflow-wrap: anywhere;
}
.link {
  color: var(--accent);
  text-decoration: underline;
}
</style>
