<script setup lang="ts">
import { ElButton } from 'element-plus';
import { computed, onBeforeUnmount, onMounted, ref, shallowRef } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import Said from '../../parts/Said.vue';
import { api, type Glance, type RevisionEntry } from '../../api.ts';
import { useWorkspace } from '../../stores/workspace.ts';
import { core } from '../../workers/client.ts';
import type { BetweenView } from '../../workers/views.ts';

/** One revision: what it says, how it stood, what it changed, and what can be done with it. */
const { revision, glance, runsIn } = defineProps<{
  revision: RevisionEntry;
  glance: Omit<Glance, 'version'> | undefined;
  runsIn: readonly string[];
}>();
const workspace = useWorkspace();
const route = useRoute();
const router = useRouter();

const changed = shallowRef<BetweenView>();
const trouble = ref('');
/** Whether going back is to be agreed to. */
const asking = ref(false);
let gone = false;
onBeforeUnmount(() => (gone = true));
onMounted(async () => {
  try {
    const { slug } = workspace.topology!;
    const documentsOf = async (number: number | null) =>
      number ? [...(await api.revision(slug, number)).documents] : [];
    const [before, after] = await Promise.all([documentsOf(revision.parent), documentsOf(revision.number)]);
    const found = await core.between(before, after);
    if (!gone) changed.value = found;
  } catch (error) {
    trouble.value = `What it changed cannot be told: ${(error as Error).message}`;
  }
});

const mayWrite = computed(() => !['reader', 'operator'].includes(workspace.topology?.role ?? ''));
const look = computed(() => ({
  name: 'fan-out',
  params: route.params,
  query: { env: route.query.env, draft: route.query.draft, rev: String(revision.number) },
}));
/** Begins a draft that goes on from this revision. */
async function begin() {
  trouble.value = '';
  try {
    await workspace.save();
    const name = `from r${revision.number}, ${new Date().toISOString().slice(0, 16).replace('T', ' ')}`;
    const { id } = await api.beginDraft(workspace.topology!.slug, name, { revision: revision.number });
    await router.push({
      name: 'declare',
      params: route.params,
      query: { env: route.query.env, draft: String(id) },
    });
  } catch (error) {
    trouble.value = `No draft was begun: ${(error as Error).message}`;
  }
}
async function compare() {
  await workspace.compareWith(revision.number);
  await router.push({ name: 'fan-out', params: route.params, query: { env: route.query.env } });
}
async function goBack() {
  asking.value = false;
  trouble.value = '';
  try {
    const { documents } = await api.revision(workspace.topology!.slug, revision.number);
    workspace.putInstead(documents);
    await router.push({ name: 'declare', params: route.params, query: { env: route.query.env } });
  } catch (error) {
    trouble.value = `The draft is as it was: ${(error as Error).message}`;
  }
}
/** Who wrote it, and who proposed and saved it where that was somebody else. */
const by = computed(() => {
  const { author, proposedBy, savedBy } = revision;
  const more = [
    ...(proposedBy !== null && proposedBy !== author ? [`proposed by ${proposedBy}`] : []),
    ...(savedBy !== author ? [`saved by ${savedBy}`] : []),
  ];
  return `written by ${[author, ...more].join(', ')}`;
});
const origin = computed(() =>
  [
    revision.parent ? `made from r${revision.parent}` : 'the first',
    ...(runsIn.length ? [`runs in ${runsIn.join(', ')}`] : []),
  ].join('; '),
);
const when = new Intl.DateTimeFormat('en', { dateStyle: 'medium', timeStyle: 'short' });
</script>

<template>
  <article>
    <h1>r{{ revision.number }}: {{ revision.words }}</h1>
    <p class="soft">
      {{ by }}, {{ when.format(new Date(revision.createdAt)) }};
      {{ origin }}
    </p>
    <p v-if="glance" data-testid="stood">
      {{ glance.counts.brokers }} brokers, {{ glance.counts.queues }} stores, {{ glance.counts.apps }} apps,
      {{ glance.counts.messages }} message types.
      <span :class="glance.findings.error ? 'error' : glance.findings.warning ? 'warning' : 'good'"
        >{{ glance.findings.error }} errors, {{ glance.findings.warning }} warnings</span
      >;
      <span :class="glance.expectations.broken ? 'error' : 'good'"
        >{{ glance.expectations.kept }} promises kept, {{ glance.expectations.broken }} broken</span
      >.
    </p>
    <p class="acts">
      <router-link :to="look" class="look">Look at everything as it was</router-link>
      <el-button size="small" @click="compare">Compare the draft with it</el-button>
      <el-button v-if="mayWrite" size="small" @click="begin">Begin a draft from it</el-button>
      <template v-if="workspace.canWrite && !asking">
        <el-button size="small" @click="asking = true">Go back to this…</el-button>
      </template>
    </p>
    <div v-if="asking" class="asking" role="alertdialog" aria-label="go back to this revision">
      <p>
        The draft becomes what r{{ revision.number }} says. What it says now is not in any revision unless it
        was saved; undo brings it back. Nothing happens on any broker.
      </p>
      <el-button size="small" type="primary" @click="goBack"
        >Put the draft back to r{{ revision.number }}</el-button
      >
      <el-button size="small" @click="asking = false">Leave it</el-button>
    </div>
    <p v-if="trouble" class="error" role="alert"><Said :text="trouble" /></p>
    <p v-if="!changed && !trouble" class="soft">reading what it changed …</p>
    <template v-if="changed">
      <h2>What messages do otherwise {{ revision.parent ? `than in r${revision.parent}` : '' }}</h2>
      <p v-if="changed.messages.length === 0" class="good">No message goes elsewhere.</p>
      <ul data-testid="messages-then">
        <li v-for="sentence in changed.messages" :key="sentence">{{ sentence }}</li>
      </ul>
      <h2>What is declared otherwise</h2>
      <p v-if="changed.things.length === 0" class="soft">Nothing that a message could meet.</p>
      <ul data-testid="things-then">
        <li v-for="(thing, i) in changed.things" :key="i" :class="thing.kind">
          <b>{{ thing.kind }}</b> <Said :text="thing.text" />
        </li>
      </ul>
      <p v-if="changed.more" class="soft">and {{ changed.more.toLocaleString('en') }} changes more</p>
    </template>
  </article>
</template>

<style scoped>
article {
  overflow: auto;
  padding: 14px 20px;
  display: grid;
  gap: 10px;
  align-content: start;
  overflow-wrap: anywhere;
}
h1 {
  font-size: 16px;
}
h2 {
  font-size: 14px;
  margin-top: 8px;
}
ul {
  display: grid;
  gap: 5px;
  list-style: none;
}
.acts {
  display: flex;
  align-items: center;
  flex-wrap: wrap;
  gap: 8px;
}
.acts .el-button + .el-button {
  margin-left: 0;
}
.asking {
  background: var(--accent-sheet);
  padding: 10px 14px;
  display: grid;
  gap: 8px;
  justify-items: start;
}
.asking .el-button + .el-button {
  margin-left: 0;
}
.added b {
  color: var(--good);
}
.removed b {
  color: var(--error);
}
.re-routed b,
.changed b {
  color: var(--warning);
}
</style>
